import { describe, expect, test } from 'vitest';
import { centredAt, movedBy, placeOf, stepOf, wholeOf, type Grip } from './ruler';

const WHOLE = { from: 1_000, to: 2_000 };

test.each<[string, Grip, { from: number; to: number }, number, [number, number]]>([
  ['moves along', 'window', { from: 1_200, to: 1_300 }, 0.5, [1_700, 1_800]],
  ['stops at the end', 'window', { from: 1_200, to: 1_300 }, 2, [1_900, 2_000]],
  ['stops at the begin', 'window', { from: 1_200, to: 1_300 }, -2, [1_000, 1_100]],
  ['comes in from outside', 'window', { from: 500, to: 700 }, 0, [1_000, 1_200]],
  ['longer than all is all', 'window', { from: 0, to: 5_000 }, 0.1, [1_000, 2_000]],
  ['begins later', 'begin', { from: 1_200, to: 1_300 }, 0.05, [1_250, 1_300]],
  ['begins no later than it ends', 'begin', { from: 1_200, to: 1_300 }, 0.5, [1_298, 1_300]],
  ['ends later', 'end', { from: 1_200, to: 1_300 }, 0.1, [1_200, 1_400]],
  ['ends no later than all', 'end', { from: 1_200, to: 1_300 }, 3, [1_200, 2_000]],
  ['ends no earlier than it begins', 'end', { from: 1_200, to: 1_300 }, -3, [1_200, 1_202]],
])('a window %s', (_, grip, span, share, [from, to]) => {
  expect(movedBy(span, grip, share, WHOLE)).toEqual({ from, to });
});

test('a press takes the window there', () => {
  expect(centredAt({ from: 1_200, to: 1_300 }, 0.5, WHOLE)).toEqual({ from: 1_450, to: 1_550 });
  expect(centredAt({ from: 1_200, to: 1_300 }, 1, WHOLE)).toEqual({ from: 1_900, to: 2_000 });
});

describe('keys', () => {
  const span = { from: 1_200, to: 1_400 };
  test.each([
    ['ArrowLeft', -0.02],
    ['ArrowRight', 0.02],
    ['PageUp', 0.2],
    ['Home', -1],
    ['a', undefined],
  ])('%s', (key, step) => {
    const found = stepOf(key, span, WHOLE);
    if (step === undefined) expect(found).toBeUndefined();
    else expect(found).toBeCloseTo(step);
  });
});

test('all there is goes up to now, and is a time even with one reading', () => {
  const at = (seconds: number) => new Date(seconds * 1000).toISOString();
  const span = (first: number, last: number) => ({ signal: 'a/b', first_at: at(first), last_at: at(last) });
  expect(wholeOf([span(100, 500), span(50, 200)], 900_000)).toEqual({ from: 50_000, to: 900_000 });
  expect(wholeOf([span(100, 1_000)], 900_000)).toEqual({ from: 100_000, to: 1_000_000 });
  expect(wholeOf([span(900, 900)], 900_000)).toEqual({ from: 840_000, to: 900_000 });
  expect(wholeOf([{ signal: 'a/b' }], 900_000)).toBeUndefined();
  expect(placeOf(500, WHOLE)).toBe(0);
  expect(placeOf(1_250, WHOLE)).toBe(0.25);
});
