import { expect, test } from 'vitest';
import { axisNumbers, decimalsOf } from './axisNumbers';

test.each([
  [[0, 2, 4], 0],
  [[0, 0.5], 1],
  [[2, 2.25, 2.5], 2],
  [[1, 1.05], 2],
  [[0, 0.0025], 4],
  [[0.1, 0.2, 0.3], 1],
  [[0, 1e-4], 4],
  [[1e6, 2e6], 0],
  [[0, 1e-12], 9],
  [[7], 0],
  [[], 0],
])('marks %o are written with %d decimals', (marks, decimals) => {
  expect(decimalsOf(marks)).toBe(decimals);
});

test('no two marks are written alike, and none is rounded', () => {
  expect(axisNumbers([2, 2.25, 2.5, 2.75])).toEqual(['2.00', '2.25', '2.50', '2.75']);
  expect(axisNumbers([-0.1, 0, 0.1])).toEqual(['−0.1', '0.0', '0.1']);
});
