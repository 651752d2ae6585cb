import { fireEvent, screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { DummyTest } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, sent, show } from '../../testing-dom';
import { DummySection } from './DummySection';

const PATH = '/sites/marlbeck/devices/tower/commissioning';
const dummy = (over: Partial<DummyTest> = {}): DummyTest => ({ signal: 'level', ...over });

const field = () => screen.getByLabelText<HTMLInputElement>('Dummy value of level');
const ASK = 'Ask for the dummy value of level';

test('a number is asked for, and read with a comma too', async () => {
  const asked = answering({ [`POST ${PATH}/dummies`]: { device: 'tower' } });
  show(<DummySection dummies={[dummy({ last: 2.5 })]} path={PATH} inTrial />);
  expect(isDisabled(ASK)).toBe(true);
  fireEvent.change(field(), { target: { value: '12,5' } });
  press(ASK);
  expect(await sent(asked, 'POST', `${PATH}/dummies`)).toEqual({ signal: 'level', expected: 12.5 });
  expect(screen.getByText('2.5')).toBeTruthy();
});

test('what is no number is not asked for', () => {
  answering({});
  show(<DummySection dummies={[dummy()]} path={PATH} inTrial />);
  fireEvent.change(field(), { target: { value: '1,2,3' } });
  expect(isDisabled(ASK)).toBe(true);
});

test('a live device has no dummies', () => {
  answering({});
  show(<DummySection dummies={[dummy({ expected: 7 })]} path={PATH} inTrial={false} />);
  expect(field().disabled).toBe(true);
  expect(isDisabled(ASK)).toBe(true);
});

test('a refusal stands beside its value', async () => {
  answering({ [`POST ${PATH}/dummies`]: 422 });
  show(<DummySection dummies={[dummy({ expected: 7 })]} path={PATH} inTrial />);
  press(ASK);
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
