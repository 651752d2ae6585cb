import { describe, expect, test } from 'vitest';
import type { SignalNow } from '../api/schema';
import type { Piece, Pieces } from './liveSummary';
import { columns, isWaveform, story } from './series';
import { readShown, spanUpTo, writeShown } from './spans';

const bucket = (second: number, value: number): Piece => ({
  start_ms: second * 1000,
  min: value - 1,
  max: value + 1,
  mean: value,
  count: 1,
});
const set = (width_s: number, ...pieces: Piece[]): Pieces => ({ width_s, pieces });
const signal = (code: string, unit?: string, type: SignalNow['type'] = 'number'): SignalNow => ({
  signal: code,
  name: code,
  type,
  symbol: unit ?? '',
  decimals: 1,
  ...(unit === undefined ? {} : { unit }),
});

describe('columns', () => {
  test('gaps stay open', () => {
    const { times, means } = columns([set(10, bucket(0, 1), bucket(10, 2), bucket(100, 3))], [10, 10, 10]);
    expect(times).toEqual([5, 15, 25, 105]);
    expect(means[0]).toEqual([1, 2, null, 3]);
  });
  test('a slow device has no gaps between its readings', () => {
    expect(columns([set(10, bucket(0, 1), bucket(60, 2))], [60, 60, 60]).means[0]).toEqual([1, 2]);
  });
  test('bursts of a waveform are lines of their own', () => {
    const burst = (second: number) => ({ ...bucket(second, 1), count: 500 });
    const bursts = set(10, burst(0), burst(10), burst(900), burst(910));
    expect(columns([bursts], [900, 900, 900]).means[0]).toEqual([1, 1, null, 1, 1]);
  });
  test('single samples of a burst are a line, and its end is one', () => {
    const samples = [0, 0.004, 0.008, 0.012, 4, 4.004, 4.008].map((second) => bucket(second, 1));
    const found = columns([set(0.001, ...samples)], [900]);
    expect(found.means[0]).toEqual([1, 1, 1, 1, null, 1, 1, 1]);
    expect(isWaveform(set(0.001, ...samples), 900)).toBe(true);
  });
  test('a device that sends more often than it said is a line as well', () => {
    const often = set(1, bucket(0, 1), bucket(10, 1), bucket(20, 1), bucket(30, 1));
    expect(columns([often], [900]).means[0]).toEqual([1, 1, 1, 1]);
  });
  test.each<[string, number[], number[]]>([
    ['alone between two gaps', [0, 100, 200, 210], [0, 2]],
    ['the only one', [50], [0]],
    ['none in a line', [0, 10, 20], []],
    ['the last', [0, 10, 200], [3]],
  ])('a bucket without a line to it is known as such: %s', (_, seconds, lone) => {
    const found = columns([set(10, ...seconds.map((second) => bucket(second, 1)))], [10, 10, 10]);
    expect(found.lone).toEqual([lone]);
    expect(lone.map((place) => found.means[0]?.[place])).toEqual(lone.map(() => 1));
  });
  test('another signal between two of its points makes none of them lone', () => {
    const found = columns([set(10, bucket(0, 1), bucket(20, 1)), set(10, bucket(10, 5))], [60, 60, 60]);
    expect(found.lone).toEqual([[], [1]]);
  });
  test('signals share the times', () => {
    const { times, mins } = columns([set(10, bucket(0, 1)), undefined, set(10, bucket(10, 5))], [60, 60, 60]);
    expect(times).toEqual([5, 15]);
    expect(mins).toEqual([
      [0, undefined],
      [undefined, undefined],
      [undefined, 4],
    ]);
  });
});

test('the story says how far it moved and where its ends are', () => {
  const told = story(signal('level', 'm'), set(10, bucket(0, 3), bucket(60, 2)), 'UTC', 3_600_000);
  expect(told).toBe('level fell 1.0\u202fm, lowest 1.0\u202fm at 00:01, highest 4.0\u202fm at 00:00.');
  expect(story(signal('level'), set(10), 'UTC', 0)).toContain('no readings');
});

test('the address holds what is shown', () => {
  expect(readShown(new URLSearchParams('span=1w'))).toEqual({ id: '1w' });
  expect(readShown(new URLSearchParams('from=1000&to=2000'))).toEqual({ fixed: { from: 1000, to: 2000 } });
  expect(readShown(new URLSearchParams('from=2000&to=1000&span=x'))).toEqual({ id: '1d' });
  expect(writeShown(new URLSearchParams('a=1&span=1w'), { fixed: { from: 1, to: 2 } }).toString()).toBe(
    'a=1&from=1&to=2',
  );
  expect(spanUpTo('1h', 3_600_000)).toEqual({ from: 0, to: 3_600_000 });
});
