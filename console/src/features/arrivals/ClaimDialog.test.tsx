import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Arrival, Signal } from '../../api/schema';
import { answering, choose, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { ClaimDialog } from './ClaimDialog';

const DEVICE = '/sites/marlbeck/devices/tower';
const CLAIM = `${DEVICE}/arrivals/levle/claim`;
const arrival = (over: Partial<Arrival> = {}): Arrival => ({
  device: 'tower',
  name: 'levle',
  first_at: '2026-05-01T12:00:00Z',
  last: [{ at: '2026-05-01T12:00:00Z', value: 2 }],
  readings: 1200,
  type: 'number',
  ...over,
});
const LEVEL = { code: 'level', name: 'Water level', type: 'number', symbol: 'm' } as Signal;

const answers = (more = {}) => ({
  [`GET ${DEVICE}/signals`]: { items: [LEVEL] },
  [`POST ${CLAIM}`]: { signal: 'level', moved: 3, left: 0 },
  ...more,
});

test('a name nearly right is proposed as the signal it is like', async () => {
  const asked = answering(answers());
  const onClose = vi.fn();
  show(<ClaimDialog arrival={arrival({ like: 'level' })} onClose={onClose} />);
  expect(await screen.findByText(/spelled nearly like/)).toBeTruthy();
  expect(screen.getByText(/1\s200 readings go with it/)).toBeTruthy();
  press('Claim it');
  expect(await sent(asked, 'POST', CLAIM)).toEqual({ into: 'level' });
  await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
});

test('another name becomes a signal of its own', async () => {
  const asked = answering(answers());
  show(<ClaimDialog arrival={arrival({ unit: 'm' })} onClose={() => undefined} />);
  type(/Signal code/, 'depth');
  type('Name of the signal', 'Depth of the pond');
  press('Claim it');
  expect(await sent(asked, 'POST', CLAIM)).toEqual({
    code: 'depth',
    type: 'number',
    name: 'Depth of the pond',
    unit: 'm',
  });
});

test('what is no number has no unit', async () => {
  const asked = answering(answers());
  show(<ClaimDialog arrival={arrival({ unit: 'm' })} onClose={() => undefined} />);
  await choose('Type', 'text');
  press('Claim it');
  expect(await sent(asked, 'POST', CLAIM)).toEqual({ code: 'levle', type: 'text' });
});

test('it can be put into a declared signal by hand', async () => {
  const asked = answering(answers());
  show(<ClaimDialog arrival={arrival()} onClose={() => undefined} />);
  await choose('It belongs to', /Water level/);
  press('Claim it');
  expect(await sent(asked, 'POST', CLAIM)).toEqual({ into: 'level' });
});

test('a refusal is said', async () => {
  answering(answers({ [`POST ${CLAIM}`]: 409 }));
  show(<ClaimDialog arrival={arrival()} onClose={() => undefined} />);
  press('Claim it');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
