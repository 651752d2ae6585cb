import { describe, expect, test, vi } from 'vitest';
import { aSignal } from '../testing';
import { decimalsOf, LiveValues, newer } from './liveValues';
import type { PresenceEvent } from './schema';

const reading = (seconds: string, value: number, signal = 'level', device = 'tower') => ({
  device,
  signal,
  at: `2026-05-01T12:00:${seconds}Z`,
  value,
});

const silent: PresenceEvent = { device: 'tower', presence: 'silent', since: '2026-05-01T02:14:00Z' };

describe('readings', () => {
  test('the newest stays, whatever the order in which they come', () => {
    const values = new LiveValues();
    values.takeReadings([reading('20', 3), reading('15', 9)]);
    values.takeReadings([reading('05', 1)]);
    expect(values.last('tower', 'level')?.value).toBe(3);
    values.takeReadings([reading('20', 4)]);
    expect(values.last('tower', 'level')?.value).toBe(4);
  });

  test('only those are told who look at it', () => {
    const values = new LiveValues();
    const [level, air, tower, shed] = [vi.fn(), vi.fn(), vi.fn(), vi.fn()];
    values.subscribe('tower/level', level);
    values.subscribe('tower/air', air);
    values.subscribe('tower', tower);
    values.subscribe('shed', shed);
    values.takeReadings([reading('20', 3), reading('21', 4)]);
    expect([level, air, tower, shed].map((told) => told.mock.calls.length)).toEqual([1, 0, 1, 0]);
    values.takeReadings([reading('10', 1)]);
    expect(level).toHaveBeenCalledTimes(1);
  });

  test('who has left is not told', () => {
    const values = new LiveValues();
    const told = vi.fn();
    const leave = values.subscribe('tower', told);
    leave();
    values.takeReadings([reading('20', 3)]);
    expect(told).not.toHaveBeenCalled();
  });

  test('a past that has changed is not remembered', () => {
    const values = new LiveValues();
    values.takeReadings([reading('20', 3), reading('20', 5, 'level', 'tower-2')]);
    values.forget('tower');
    expect(values.last('tower', 'level')).toBeUndefined();
    expect(values.last('tower-2', 'level')?.value).toBe(5);
  });
});

describe('presence', () => {
  test('what was asked before an event does not overwrite it, what was asked after it does', () => {
    const values = new LiveValues();
    values.takePresence(silent, 1_000);
    values.answered(900);
    expect(values.standing('tower')?.presence).toBe('silent');
    values.answered(1_100, 'shed');
    expect(values.standing('tower')?.presence).toBe('silent');
    values.answered(1_100);
    expect(values.standing('tower')).toBeUndefined();
  });

  test('an event that says nothing of the connection leaves it as it was', () => {
    const values = new LiveValues();
    const connection = { is_up: true, since: '2026-05-01T00:00:00Z', protocol: 'MQTT', from: 'here' };
    values.takePresence({ ...silent, connection }, 1);
    values.takePresence(silent, 2);
    expect(values.standing('tower')?.connection).toEqual(connection);
  });
});

test.each([
  [undefined, undefined, undefined],
  [reading('20', 1), undefined, 1],
  [undefined, reading('20', 2), 2],
  [reading('20', 1), reading('19', 2), 1],
  [reading('19', 1), reading('20', 2), 2],
  [reading('20', 1), reading('20', 2), 1],
])('of %o and %o the newer is shown', (live, described, value) => {
  expect(newer(live, described)?.value).toBe(value);
});

test.each([
  [aSignal({ decimals: 1 }), 3.125, 3],
  [aSignal({ decimals: 4 }), 3.1, 4],
  [aSignal({ decimals: 1 }), 'text', 1],
  [aSignal({ decimals: 1, worked_out: true }), 3.1254, 1],
  [aSignal({ decimals: 1 }), 1 / 3, 6],
])('%o with %o is shown with so many decimals', (signal, value, decimals) => {
  expect(decimalsOf(signal, { at: '2026-05-01T12:00:00Z', value })).toBe(decimals);
});
