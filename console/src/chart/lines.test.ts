import { expect, test } from 'vitest';
import { aSignal } from '../testing';
import type { Drawn } from './drawn';
import { linesOf, moved, setsOf } from './lines';
import { nearestPlace } from './nearest';
import { tableRows } from './tableRows';

const drawn = (signal: string): Drawn => ({
  ...aSignal({ signal, name: signal }),
  device: 'd',
  interval_s: 60,
});
const piece = (start_ms: number, value: number, count = 1) => ({
  start_ms,
  min: value,
  max: value,
  mean: value,
  count,
});
const set = (...pieces: ReturnType<typeof piece>[]) => ({ width_s: 1, pieces });

test('lines of an earlier time follow in the colours of the time itself', () => {
  const lines = linesOf({ left: [drawn('a')], right: [drawn('b')] }, 'a week earlier');
  expect(lines.map(({ name, tone, side, under }) => [name, tone, side, under])).toEqual([
    ['a', 0, 'left', undefined],
    ['b', 1, 'right', undefined],
    ['a', 0, 'left', 'a week earlier'],
    ['b', 1, 'right', 'a week earlier'],
  ]);
  const earlier = new Map([['d/a', moved(set(piece(0, 7)), 500)]]);
  const sets = setsOf(lines, new Map([['d/a', set(piece(500, 8))]]), earlier);
  expect(sets.map((one) => one?.pieces.map(({ start_ms, mean }) => [start_ms, mean]))).toEqual([
    [[500, 8]],
    undefined,
    [[500, 7]],
    undefined,
  ]);
});

test.each([
  ['its own', [1, 2, 3], 1, 1],
  ['the nearer one', [1, undefined, undefined, 4], 2, 3],
  ['none in a gap', [1, null, undefined, 4], 1, undefined],
  ['none behind a gap', [1, undefined, null, 4], 2, undefined],
  ['none where there is none', [undefined, undefined], 0, undefined],
])('under the cursor a line has %s', (_, column, place, expected) => {
  const times = column.map((__, i) => i / 1000);
  const wide = [...times, 1];
  expect(nearestPlace(wide, column, place)).toBe(expected);
});

test('a value far from the cursor is not told', () => {
  expect(nearestPlace([0, 50, 100], [1, undefined, 2], 1)).toBeUndefined();
});

test('a table has a row for each time, the newest first', () => {
  const sets = [set(piece(1000, 1), piece(2000, 2)), undefined, set(piece(2000, 5), piece(9000, 6))];
  const { rows, isSingle } = tableRows(sets, { from: 1500, to: 8000 });
  expect(rows.map(({ at, pieces }) => [at, pieces[0]?.mean, pieces[2]?.mean])).toEqual([
    [2000, 2, 5],
    [1000, 1, undefined],
  ]);
  expect(isSingle).toBe(true);
  expect(tableRows([set(piece(2000, 2, 3))], { from: 0, to: 8000 }).isSingle).toBe(false);
});
