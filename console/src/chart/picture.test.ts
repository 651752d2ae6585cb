import { describe, expect, test } from 'vitest';
import { apart, roomFor, valuesOf, withGaps, type Place } from './picture';
import { bandPath, linePath, lonePath } from './svg/Layers';

test.each<[number[], [number, number]]>([
  [[], [0, 1]],
  [[5], [4.5, 5.5]],
  [[0], [-1, 1]],
  [
    [-2, -2],
    [-2.2, -1.8],
  ],
  [
    [0, 100],
    [-6, 106],
  ],
])('there is room around %o', (values, room) => {
  const [low, high] = roomFor(values);
  expect(low).toBeCloseTo(room[0], 9);
  expect(high).toBeCloseTo(room[1], 9);
});

test('lines and bands say how much room there is, and dots do not', () => {
  const values = valuesOf([
    { kind: 'line', name: '', tone: 0, places: [[0, 1], null, [2, 5]] },
    { kind: 'band', tone: 0, ranges: [[0, -1, 9], null] },
    { kind: 'dots', tone: 'wrong', look: 'full', places: [[0, 1e6]] },
    { kind: 'bars', bars: [] },
  ]);
  expect([...values]).toEqual([1, 5, -1, 9]);
});

describe('gaps', () => {
  const span = { from: 0, to: 10_000 };
  const every = (from: number, to: number, step: number): Place[] =>
    Array.from({ length: (to - from) / step }, (_, i) => [from + i * step, 1]);
  const gapsIn = (places: Place[]) =>
    withGaps(places, span).flatMap((place, i) => (place === null ? [i] : []));
  test('a long time without a place is one', () => {
    expect(gapsIn([...every(0, 1000, 10), ...every(5000, 6000, 10)])).toEqual([100]);
  });
  test('a short one is none, and neither is a slow sensor', () => {
    expect(gapsIn([...every(0, 1000, 10), ...every(1150, 2000, 10)])).toEqual([]);
    expect(gapsIn(every(0, 10_000, 2500))).toEqual([]);
  });
  test('nothing has none', () => {
    expect(withGaps([], span)).toEqual([]);
  });
});

describe('paths', () => {
  const scales = { x: (at: number) => at * 10, y: (value: number) => 100 - value };
  test.each<[string, (Place | null)[], string]>([
    [
      'a line',
      [
        [0, 1],
        [1, 2.25],
      ],
      'M0,99L10,97.8',
    ],
    ['a gap stays open', [[0, 1], [1, 2], null, [3, 4], [4, 5]], 'M0,99L10,98M30,96L40,95'],
    ['nothing', [null, null], ''],
  ])('%s', (_, places, path) => {
    expect(linePath(places, scales)).toBe(path);
  });
  test('a band goes along its top and back along its bottom', () => {
    expect(
      bandPath(
        [
          [0, 1, 3],
          [1, 2, 4],
        ],
        scales,
      ),
    ).toBe('M0,97L10,96L10,98L0,99Z');
    expect(bandPath([[0, 1, 3], [1, 1, 3], null, [3, 1, 2], [4, 1, 2]], scales).match(/M/g)?.length).toBe(2);
  });
  test('places with a gap on both sides are dots', () => {
    const places: (Place | null)[] = [[0, 1], null, [2, 1], [3, 1], null, [5, 1], null];
    expect(lonePath(places, scales)).toBe('M0.0 99.0h0M50.0 99.0h0');
  });
});

test('names at the ends of lines do not lie over each other', () => {
  const labels = [{ y: 50 }, { y: 10 }, { y: 52 }, { y: 12 }].map((label, i) => ({ ...label, i }));
  expect(apart(labels, 15)).toEqual([
    { y: 10, i: 1 },
    { y: 25, i: 3 },
    { y: 50, i: 0 },
    { y: 65, i: 2 },
  ]);
});
