import { expect, test } from 'vitest';
import { AHEAD, aheadOf, lagOf } from './useMoving';

test.each([
  ['nothing has come twice', [], 0],
  ['messages come each second', [0.2, 1.05, 0.98], 1.05],
  ['one came too soon', [-0.3], 0],
  ['there was silence', [90], 5],
])('where %s the window lags as the slowest did', (_, ages, lag) => {
  expect(lagOf(ages)).toBe(lag);
});

test('a plot that moves has room for the time ahead at the same scale', () => {
  // A hundred pixels a second.
  expect(aheadOf(10_000, 1_000)).toBe(AHEAD * 100);
});
