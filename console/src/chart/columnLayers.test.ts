import { expect, test } from 'vitest';
import { bandOf, stepped } from './columnLayers';
import type { Columns } from './series';

/** Two signals, of which the second has its values between those of the first. */
const COLUMNS = {
  times: [0, 10, 20, 30],
  means: [
    [1, undefined, null, 4],
    [undefined, 7, undefined, undefined],
  ],
  mins: [
    [0, undefined, null, 3],
    [undefined, 6, undefined, undefined],
  ],
  maxs: [
    [2, undefined, null, 5],
    [undefined, 8, undefined, undefined],
  ],
  lone: [[], []],
} as unknown as Columns;

test('what is not known at a time of another signal does not break the line, a gap does', () => {
  const [band, line] = bandOf(COLUMNS, 0, 2, 'level');
  expect(line).toEqual({ kind: 'line', name: 'level', tone: 2, places: [[0, 1], null, [30_000, 4]] });
  expect(band).toEqual({ kind: 'band', tone: 2, ranges: [[0, 0, 2], null, [30_000, 3, 5]] });
});

test('each signal has its own places', () => {
  expect(bandOf(COLUMNS, 1, 0)[1]).toMatchObject({ places: [[10_000, 7]] });
  expect(bandOf(COLUMNS, 5, 0)[1]).toMatchObject({ places: [] });
});

test('a step holds until the next value, and not over a gap', () => {
  expect(stepped([[0, 1], [10, 2], null, [30, 3]])).toEqual([[0, 1], [10, 1], [10, 2], null, [30, 3]]);
});
