import { expect, test } from 'vitest';
import { nights, sunHeight } from './sun';

const at = (text: string) => Date.parse(text);
const DAY = 86_400_000;

test('seen from the pole the Sun is as high as its declination', () => {
  // J. Meeus, Astronomical Algorithms, example 25.a: 1992-10-13, 0 h dynamical time (59 s ahead), -7.78507°.
  expect(sunHeight(at('1992-10-12T23:59:01Z'), 90, 0)).toBeCloseTo(-7.78507, 2);
  expect(sunHeight(at('1992-10-12T23:59:01Z'), -90, 0)).toBeCloseTo(7.78507, 2);
});

test('at noon on the equator at the equinox it stands overhead', () => {
  // Noon by the Sun was about seven and a half minutes late.
  expect(sunHeight(at('2026-03-20T12:07:30Z'), 0, 0)).toBeGreaterThan(89.5);
  expect(sunHeight(at('2026-03-20T00:07:30Z'), 0, 0)).toBeLessThan(-89.5);
});

test('nights begin and end with the Sun on the horizon, and are longer in winter', () => {
  const from = at('2026-06-20T12:00:00Z');
  const [summer] = nights({ from, to: from + DAY }, 54.5, -2.3);
  const winterFrom = at('2026-12-20T12:00:00Z');
  const [winter] = nights({ from: winterFrom, to: winterFrom + DAY }, 54.5, -2.3);
  if (!summer || !winter) throw new Error('there is a night');
  for (const end of [summer.from, summer.to, winter.from, winter.to])
    expect(sunHeight(end, 54.5, -2.3)).toBeCloseTo(-0.833, 1);
  const hours = ({ from: begin, to }: { from: number; to: number }) => (to - begin) / 3_600_000;
  expect(hours(summer)).toBeLessThan(7);
  expect(hours(winter)).toBeGreaterThan(16);
});

test('a week has its nights, those at the ends cut off', () => {
  const from = at('2026-05-01T00:00:00Z');
  const found = nights({ from, to: from + 7 * DAY }, 54.5, -2.3);
  expect(found).toHaveLength(8);
  expect(found[0]?.from).toBe(from);
  expect(found.at(-1)?.to).toBe(from + 7 * DAY);
  found.slice(1).forEach((night, i) => expect(night.from).toBeGreaterThan(found[i]?.to ?? Infinity));
});

test('where the Sun does not set there is no night, and where it does not rise it is all night', () => {
  const span = (day: string) => ({ from: at(`${day}T00:00:00Z`), to: at(`${day}T00:00:00Z`) + DAY });
  expect(nights(span('2026-06-21'), 75, 20)).toEqual([]);
  expect(nights(span('2026-12-21'), 75, 20)).toEqual([span('2026-12-21')]);
});

test('none are looked for where they could not be told apart', () => {
  expect(nights({ from: 0, to: 366 * DAY }, 54.5, -2.3)).toEqual([]);
  expect(nights({ from: 5, to: 5 }, 54.5, -2.3)).toEqual([]);
});
