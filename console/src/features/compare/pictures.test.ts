import { expect, test } from 'vitest';
import type { Compared, Comparison } from '../../api/schema';
import { differencesPicture, pairsPicture } from './pictures';

const FOUND = {
  reference: 'tower/level',
  symbol: 'm',
  from: '2026-05-01T00:00:00Z',
  to: '2026-05-02T00:00:00Z',
} as Comparison;
const at = Date.parse(FOUND.from);
const other = (more: object) =>
  ({
    signal: 'tower/level-p',
    sample: [
      { at_ms: at, reference: 1, other: 2 },
      { at_ms: at + 1, reference: 3, other: 4 },
    ],
    differences: [
      { start_ms: at, min: 0.5, mean: 1, max: 2 },
      { start_ms: at + 60_000, min: -1, mean: 0, max: 1 },
    ],
    ...more,
  }) as unknown as Compared;

test('differences are a line in a band, with room for the band', () => {
  const { across, up, layers } = differencesPicture(FOUND, other({}), 'UTC');
  expect(across).toEqual({ kind: 'time', span: { from: at, to: at + 86_400_000 }, zone: 'UTC' });
  expect(layers.map((layer) => layer.kind)).toEqual(['band', 'line']);
  expect(up[0]).toBeLessThan(-1);
  expect(up[1]).toBeGreaterThan(2);
});

test('pairs have one scale, and the diagonal runs from corner to corner', () => {
  const { across, up, layers } = pairsPicture(FOUND, other({}));
  expect(across).toEqual({ kind: 'number', low: up[0], high: up[1], title: 'tower/level (m)' });
  expect(layers[0]).toMatchObject({
    look: 'dotted',
    places: [
      [up[0], up[0]],
      [up[1], up[1]],
    ],
  });
  expect(layers[1]).toMatchObject({
    places: [
      [1, 2],
      [3, 4],
    ],
  });
  expect(layers.length).toBe(2);
});

test('the line that fits best says what the reference is where the other says so much', () => {
  const fitted = other({ figures: { line: { slope: 2, intercept: -3 } } });
  expect(pairsPicture(FOUND, fitted).layers[2]).toMatchObject({
    places: [
      [1, 2],
      [5, 4],
    ],
  });
});
