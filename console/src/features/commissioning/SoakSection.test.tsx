import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Soak } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { SoakSection } from './SoakSection';

const PATH = '/sites/marlbeck/devices/tower/commissioning';
const SOAK = `${PATH}/soak`;
const running: Soak = {
  from: '2026-05-01T20:00:00Z',
  to: '2026-05-02T08:00:00Z',
  is_over: false,
  expected: 720,
  received: 700,
  longest_gap_s: 90,
  gap_from: '2026-05-01T22:00:00Z',
};

test('a soak test begins for as many hours as were typed', async () => {
  const asked = answering({ [`POST ${SOAK}`]: { device: 'tower' } });
  show(<SoakSection soak={undefined} path={PATH} inTrial />);
  type('Hours', '1,5');
  press('Begin the soak test');
  expect(await sent(asked, 'POST', SOAK)).toEqual({ hours: 1.5 });
});

test.each(['', '0', '-3', 'a night'])('"%s" hours are none', (hours) => {
  answering({});
  show(<SoakSection soak={undefined} path={PATH} inTrial />);
  type('Hours', hours);
  expect(isDisabled('Begin the soak test')).toBe(true);
});

test('one that runs can be ended, and a refusal is said', async () => {
  const asked = answering({ [`DELETE ${SOAK}`]: 409 });
  show(<SoakSection soak={running} path={PATH} inTrial />);
  press('End it without a result');
  await sent(asked, 'DELETE', SOAK);
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('a live device begins none', () => {
  answering({});
  show(<SoakSection soak={undefined} path={PATH} inTrial={false} />);
  expect(screen.queryByRole('button')).toBeNull();
});
