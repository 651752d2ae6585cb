import { fireEvent, screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Origin } from '../../api/schema';
import { aSignal } from '../../testing';
import { answering, choose, press, show, type } from '../../testing-dom';
import { OriginPanel } from './OriginPanel';
import { stepsOf } from './steps';

/** What is known of any value. */
const BARE: Origin = {
  signal: 'tower/level',
  reading: { at: '2026-05-01T08:00:00Z', value: 2.2839 },
  unit: 'm',
  symbol: 'm',
  remembers: false,
};
const ORIGIN: Origin = {
  ...BARE,
  sent: 11360,
  sent_unit: 'us',
  contact: {
    at: '2026-05-01T08:00:02Z',
    protocol: 'HTTP POST',
    dialect: 'JSON',
    from: '192.0.2.7',
    bytes: 20,
    outcome: 'kept',
    times: 1,
    kept: 1,
    payload: '{"level": 11360}',
  },
  steps: [{ input: 0.01136, output: 1.916, unit: 'm', symbol: 'm' }],
  remembers: true,
  version: { version: 3, made_by: 'ann', made_at: '2026-04-01T00:00:00Z' },
  others: [{ signal: 'air', value: 10, symbol: '°C', at: '2026-05-01T07:59:00Z', is_too_old: false }],
};
const titles = (origin: Origin) => stepsOf(origin, 'UTC', 2).map(({ title, text }) => `${title}: ${text}`);

test('a value that was sent is told from its contact to itself', () => {
  expect(titles(ORIGIN)).toEqual([
    'Came 2026-05-01 08:00:02: HTTP POST as JSON from 192.0.2.7',
    'Payload: {"level": 11360}',
    'Sent: 11360\u202fus',
    'With air of 2026-05-01 07:59:00: 10\u202f°C',
    'Step 1: 0.01136 becomes 1.916\u202fm',
    'But: its meaning remembers what was before; these are the steps by themselves',
    'Meaning: version 3 of ann, 2026-04-01 00:00:00',
    'Value at 2026-05-01 08:00:00: 2.28\u202fm',
    'Quality: good',
  ]);
});

test.each<[string, Partial<Origin>, string]>([
  ['not in the log', {}, 'Came: with an attempt that is not in the contact log any more'],
  [
    'a failed step',
    { steps: [{ input: 7, why: 'it is beyond the table' }] },
    'Step 1: 7 becomes nothing: it is beyond the table',
  ],
  ['a decoder', { decoder: 'of kind shed, revision 2' }, 'Read by: the decoder of kind shed, revision 2'],
  ['an old input', { others: [{ signal: 'air', is_too_old: true }] }, 'With air: —, too old to count'],
  [
    'made again',
    { remade: { by: 'bob', at: '2026-05-02T00:00:00Z' } },
    'Made again: by bob, 2026-05-02 00:00:00',
  ],
  [
    'in doubt',
    { reading: { at: '2026-05-01T08:00:00Z', value: 9, quality: 'suspect', cause: 'jump' } },
    'Quality: suspect: jump',
  ],
])('%s', (_case, over, told) => {
  expect(titles({ ...BARE, sent: 7, ...over })).toContain(told);
});

test('what was worked out or entered has no contact', () => {
  const derived = titles({ ...BARE, formula: 'level * 2' });
  expect(derived[0]).toBe('Formula: level * 2');
  const hand = { at: '2026-05-01T08:00:00Z', person: 'ann', note: 'by the staff' };
  expect(titles({ ...BARE, hand })[0]).toBe('Entered by hand: ann: by the staff');
});

test('another signal and another time can be asked for', async () => {
  const level = { ...aSignal({ signal: 'level', name: 'Level' }), device: 'tower', interval_s: 30 };
  const air = { ...aSignal({ signal: 'air', name: 'Air' }), device: 'tower', interval_s: 30 };
  const asked = answering({ 'GET /sites/marlbeck/devices/tower/signals/level/origin': ORIGIN });
  const onPick = vi.fn();
  const onClose = vi.fn();
  const at = Date.parse('2026-05-01T08:00:00Z');
  show(
    <OriginPanel
      picked={{ key: 'tower/level', at }}
      signals={[level, air]}
      zone="UTC"
      onPick={onPick}
      onClose={onClose}
    />,
  );
  expect(await screen.findByText('{"level": 11360}')).toBeTruthy();
  expect(asked[0]?.path).toContain(`at=${at / 1000}`);
  await choose('Signal', 'Air');
  expect(onPick).toHaveBeenLastCalledWith({ key: 'tower/air', at });
  type(/The reading at/, '2026-05-01 07:00');
  fireEvent.keyDown(screen.getByLabelText(/The reading at/), { key: 'Enter' });
  expect(onPick).toHaveBeenLastCalledWith({ key: 'tower/level', at: at - 3_600_000 });
  press('Close');
  expect(onClose).toHaveBeenCalled();
});
