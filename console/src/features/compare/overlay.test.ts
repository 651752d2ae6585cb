import { expect, test } from 'vitest';
import type { SummarySet } from '../../api/schema';
import { overlay } from './Overlay';

const DAY = 86_400_000;
const SPAN = { from: 10 * DAY, to: 11 * DAY };
const set = (start: number, ...means: number[]): SummarySet => ({
  from: '',
  to: '',
  width_s: 60,
  buckets: means.map((mean, i) => ({
    start_ms: start + i * 60_000,
    end_ms: start + (i + 1) * 60_000,
    min: mean - 1,
    max: mean + 1,
    mean,
    time_mean: mean,
    first: mean,
    last: mean,
    count: 1,
  })),
});

test('the other stands where it was compared, with a line and a band each', () => {
  const sets: [SummarySet, SummarySet] = [set(SPAN.from, 5, 6), set(SPAN.from - DAY, 7, 9)];
  const { layers, up } = overlay(['tower/level', 'tower/level-p'], sets, DAY, SPAN, 'UTC');
  expect(layers.map(({ kind }) => kind)).toEqual(['band', 'line', 'band', 'line']);
  expect(layers[3]).toMatchObject({
    name: 'tower/level-p',
    places: [
      [SPAN.from + 30_000, 7],
      [SPAN.from + 90_000, 9],
    ],
  });
  expect(up[0]).toBeLessThan(4);
  expect(up[1]).toBeGreaterThan(10);
});
