import { expect, test } from 'vitest';
import { aSignal } from '../testing';
import { differences, toldOf } from './means';

const set = (...pieces: [mean: number, count: number][]) => ({
  width_s: 60,
  pieces: pieces.map(([mean, count], i) => ({
    start_ms: i * 60_000,
    mean,
    count,
    min: mean - 1,
    max: mean + 2,
  })),
});

test('a mean of buckets counts each reading once', () => {
  expect(toldOf(set([1, 1], [4, 3]))).toEqual({ mean: 3.25, min: 0, max: 6, count: 4 });
});

test('without readings there is nothing to tell', () => {
  expect(toldOf(set())).toBeUndefined();
  expect(toldOf(undefined)).toBeUndefined();
});

test('the change is told where both times have readings', () => {
  const signals = ['level', 'air'].map((signal) => ({
    ...aSignal({ signal }),
    device: 'tower',
    interval_s: 60,
  }));
  const first = new Map([
    ['tower/level', set([2, 4])],
    ['tower/air', set([9, 1])],
  ]);
  const second = new Map([['tower/level', set([5, 1])]]);
  const found = differences(signals, first, second);
  expect(found.map(({ change }) => change)).toEqual([3, undefined]);
  expect(found[1]?.left?.mean).toBe(9);
  expect(found[1]?.right).toBeUndefined();
});
