import { expect, test } from 'vitest';
import { courseOf, pitch } from './course';

const SPAN = { from: 0, to: 100_000 };
const set = (...pieces: [second: number, mean: number][]) => ({
  width_s: 10,
  pieces: pieces.map(([second, mean]) => ({
    start_ms: second * 1000,
    mean,
    min: mean - 1,
    max: mean + 1,
    count: 3,
  })),
});

test.each([
  [0, 220],
  [5, 440],
  [10, 880],
])('between 0 and 10 a value of %d sounds at %d Hz', (value, hz) => {
  expect(pitch(value, 0, 10)).toBeCloseTo(hz);
});

test('what does not move sounds in the middle', () => {
  expect(pitch(3, 3, 3)).toBeCloseTo(440);
});

test('the time of the chart is the time of the sound, and a gap is silent', () => {
  const { tones } = courseOf(set([0, 0], [10, 10], [20, 5], [80, 5], [90, 0]), SPAN, 10);
  expect(tones.map(({ at, hz }) => [at, hz === null ? null : Math.round(hz)])).toEqual([
    [0, 220],
    [1, 880],
    [2, 440],
    [3, null],
    [8, 440],
    [9, 220],
    [10, null],
  ]);
});

test('extremes are said in the order in which they sound', () => {
  const { said } = courseOf(set([0, 5], [10, 9], [20, 1]), SPAN, 10);
  expect(said.map(({ kind, at, piece }) => [kind, at, piece.mean])).toEqual([
    ['highest', 1, 9],
    ['lowest', 2, 1],
  ]);
});

test('what lies outside the time is not heard', () => {
  expect(courseOf(set([200, 5]), SPAN, 10)).toEqual({ tones: [], said: [] });
  expect(courseOf(set(), SPAN, 10)).toEqual({ tones: [], said: [] });
});
