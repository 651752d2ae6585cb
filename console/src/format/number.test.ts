import { afterEach, describe, expect, test } from 'vitest';
import { setDecimalMark } from './mark';
import {
  added,
  asSent,
  change,
  decimalsIn,
  decimalsOf,
  fixed,
  grouped,
  isDrawn,
  place,
  shown,
  significant,
  withUnit,
  worked,
} from './number';

afterEach(() => setDecimalMark('point'));
const THIN = '\u202f';

test.each<[number, number, string]>([
  [1.005, 1, '1.0'],
  [-2.5, 1, '−2.5'],
  [-0.04, 1, '0.0'],
  [0, 2, '0.00'],
  [12, 0, '12'],
  [3e-9, 2, '3.000e−9'],
  [-2e15, 0, '−2.000e+15'],
  [999_999_999, 0, '999999999'],
])('%d with %d decimals is %s', (value, decimals, text) => {
  expect(fixed(value, decimals)).toBe(text);
});

test('a site may write a comma', () => {
  setDecimalMark('comma');
  expect([fixed(-2.5, 1), asSent(1.25), worked(0.5)]).toEqual(['−2,5', '1,25', '0,5000']);
});

test.each<[number, number]>([
  [1, 0],
  [1.5, 1],
  [0.123_456_789, 6],
  [-2.25, 2],
])('%d has %d decimals', (value, decimals) => {
  expect(decimalsIn(value)).toBe(decimals);
});

test.each<[Parameters<typeof shown>[0], string, string, number]>([
  [undefined, '—', '', 0],
  [true, 'yes', 'true', 0],
  [false, 'no', 'false', 0],
  ['calm', 'calm', 'calm', 0],
  [2.5, '2.50', '2.5', 1],
  [
    { latitude: 54.5, longitude: -2.318 },
    `54.50°${THIN}N 2.32°${THIN}W`,
    `54.500°${THIN}N 2.318°${THIN}W`,
    3,
  ],
])('%o is shown as %s', (value, text, sent, decimals) => {
  expect(shown(value, 2)).toBe(text);
  expect(decimalsOf(value)).toBe(decimals);
  if (value !== undefined) expect(asSent(value)).toBe(sent);
});

test('a place says its height, and on which side it lies', () => {
  expect(place({ latitude: -1, longitude: 2, altitude_m: 214.4 }, 0)).toBe(
    `1°${THIN}S 2°${THIN}E, 214${THIN}m`,
  );
});

test.each([
  [1, '1'],
  [999, '999'],
  [1000, `1${THIN}000`],
  [1_234_567, `1${THIN}234${THIN}567`],
])('%d is %s of them', (many, text) => {
  expect(grouped(many)).toBe(text);
});

test('a unit stands after what has one, and nowhere else', () => {
  expect([withUnit('2.5', 'm'), withUnit('2.5', ''), withUnit('—', 'm')]).toEqual([
    `2.5${THIN}m`,
    '2.5',
    '—',
  ]);
});

test.each<[number, string, string]>([
  [0, '0', '0'],
  [1234.5678, '1235', '1235'],
  [0.001_234_5, '0.001234', '0.0012'],
  [-12.3456, '−12.35', '−12'],
])('%d is worked out as %s, in short %s', (value, long, short) => {
  expect([worked(value), significant(value)]).toEqual([long, short]);
});

test('what is added says its sign', () => {
  expect([added(-1.5, 'm'), added(1.5, '')]).toEqual([`− 1.500${THIN}m`, '+ 1.500']);
});

describe('a direction', () => {
  test.each([
    [undefined, '', 'no direction yet'],
    [{ direction: 'steady', per_hour: 0.1 }, '→ steady', 'steady'],
    [{ direction: 'rising', per_hour: 0.25 }, `↗ +0.25${THIN}m/h`, `rising by 0.25${THIN}m/h`],
    [{ direction: 'falling', per_hour: -7200 }, `↘ −2.0${THIN}m/s`, `falling by 2.0${THIN}m/s`],
  ] as const)('%o is %s', (trend, text, words) => {
    expect(change(trend, 'm')).toEqual({ text, words });
  });
});

test('numbers and flags are drawn', () => {
  expect((['number', 'flag', 'text', 'position'] as const).filter((type) => isDrawn({ type }))).toEqual([
    'number',
    'flag',
  ]);
});
