import { expect, test } from 'vitest';
import { around, lengthOfBurst, shownOf } from './around';

const FROM = Date.parse('2026-05-01T08:00:00Z');
const burst = (seconds: number, at = 0) => ({
  from: new Date(FROM + at).toISOString(),
  to: new Date(FROM + at + seconds * 1000).toISOString(),
  count: 10,
  doubtful: 0,
});

test.each([
  [20, 2_000],
  [4, 400],
  [0, 10],
  [3_600, 2_000],
])('a burst of %d s has %d ms around it', (seconds, room) => {
  expect(around(burst(seconds))).toEqual({ from: FROM - room, to: FROM + seconds * 1000 + room });
});

test('times are whole milliseconds, as the address has them', () => {
  const { from, to } = around(burst(3.996));
  expect([from % 1, to % 1]).toEqual([0, 0]);
});

test.each([
  [4, '4.0 s'],
  [25, '25 s'],
  [600, '10 min'],
  [9_000, '2.5 h'],
])('%d s are called %s', (seconds, words) => {
  expect(lengthOfBurst(burst(seconds))).toBe(words);
});

test('the burst that is shown is found by its time', () => {
  const bursts = [burst(4), burst(4, 60_000)];
  expect(shownOf(bursts, around(burst(4, 60_000)))).toBe(bursts[1]);
  expect(shownOf(bursts, { from: 0, to: 1 })).toBeUndefined();
});
