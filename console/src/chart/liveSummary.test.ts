import { describe, expect, test } from 'vitest';
import type { Bucket, SummarySet } from '../api/schema';
import { LiveSummary } from './liveSummary';

const bucket = (start_ms: number, value: number, count = 1): Bucket => ({
  start_ms,
  end_ms: start_ms + 2000,
  min: value,
  max: value,
  mean: value,
  time_mean: value,
  first: value,
  last: value,
  count,
});
const asked = (...buckets: Bucket[]): SummarySet => ({
  from: '1970-01-01T00:00:00Z',
  to: '1970-01-01T00:00:10Z',
  last_at: '1970-01-01T00:00:09.9Z',
  width_s: 2,
  buckets,
});
const pieces = (live: LiveSummary, from = 0) =>
  live.from(from).pieces.map(({ start_ms, min, max, mean, count }) => [start_ms, min, max, mean, count]);

describe('a summary that grows', () => {
  test('a reading begins a bucket where the service would', () => {
    const live = new LiveSummary(asked(bucket(6000, 1)));
    expect(live.take({ at: 13_999, value: 5 })).toBe(true);
    expect(pieces(live)).toEqual([
      [6000, 1, 1, 1, 1],
      [12_000, 5, 5, 5, 1],
    ]);
  });
  test('readings of one bucket are one piece with its extremes and its mean', () => {
    const live = new LiveSummary(asked());
    [4, 1, 7].forEach((value, i) => live.take({ at: 12_000 + i, value }));
    expect(pieces(live)).toEqual([[12_000, 1, 7, 4, 3]]);
  });
  test('the bucket that was being filled when it was asked for goes on', () => {
    const live = new LiveSummary(asked(bucket(10_000, 2, 3)));
    live.take({ at: 11_000, value: 6 });
    expect(pieces(live)).toEqual([[10_000, 2, 6, 3, 4]]);
  });
  test('late ones after the question find their bucket in between', () => {
    const live = new LiveSummary(asked());
    [20_000, 14_000, 16_500, 15_000].forEach((at) => live.take({ at, value: 1 }));
    expect(live.from(0).pieces.map((piece) => [piece.start_ms, piece.count])).toEqual([
      [14_000, 2],
      [16_000, 1],
      [20_000, 1],
    ]);
  });
  test.each([
    ['that is no later than what was known', [{ at: 9_900, value: 1 }], [false]],
    ['that comes again', [11_000, 11_000].map((at) => ({ at, value: 1 })), [true, false]],
  ])('only the service can tell what becomes of a reading %s', (_, points, taken) => {
    const live = new LiveSummary(asked(bucket(8000, 3)));
    expect(points.map((point) => live.take(point))).toEqual(taken);
    expect(pieces(live).length).toBe(taken.filter(Boolean).length + 1);
  });
  test('what has left the span is forgotten, and only that', () => {
    const live = new LiveSummary(asked(bucket(2000, 1), bucket(4000, 2), bucket(8000, 3)));
    expect(live.from(4001).pieces.map((piece) => piece.start_ms)).toEqual([4000, 8000]);
    expect(live.from(0).pieces.map((piece) => piece.start_ms)).toEqual([4000, 8000]);
    expect(live.from(60_000).pieces).toEqual([]);
  });
  test('the calendar does not grow', () => {
    const live = new LiveSummary({ from: '', to: '1970-01-01T00:00:10Z', by: 'day', buckets: [] });
    expect(live.take({ at: 12_000, value: 1 })).toBe(false);
  });
  test('as many as come in a day at ten a second stay as quick', () => {
    const live = new LiveSummary(asked());
    for (let at = 10_000; at < 10_000 + 864_000; at += 1) live.take({ at, value: at % 7 });
    expect(live.from(0).pieces.reduce((sum, piece) => sum + piece.count, 0)).toBe(864_000);
  });
  test('what it makes of readings one by one is what the service makes of all', () => {
    const live = new LiveSummary(asked());
    const points = Array.from({ length: 500 }, (_, i) => ({
      at: 10_000 + ((i * 7919) % 60_000),
      value: Math.sin(i) * 10,
    }));
    points.forEach((point) => live.take(point));
    for (const piece of live.from(0).pieces) {
      const inside = points.filter(({ at }) => at >= piece.start_ms && at < piece.start_ms + 2000);
      const values = inside.map(({ value }) => value);
      expect(piece.count).toBe(values.length);
      expect([piece.min, piece.max]).toEqual([Math.min(...values), Math.max(...values)]);
      expect(piece.mean).toBeCloseTo(values.reduce((a, b) => a + b) / values.length, 9);
    }
  });
});
