import { expect, test } from 'vitest';
import { earlierWords, lengthText, parseLength, readEarlier, shiftOf, writeEarlier } from './earlier';

const HOUR = 3_600_000;
const at = (text: string) => Date.parse(text);

test.each([
  ['90m', 90 * 60_000],
  [' 3 d ', 72 * HOUR],
  ['1,5h', 1.5 * HOUR],
  ['2w', 14 * 24 * HOUR],
  ['0s', undefined],
  ['0.1s', undefined],
  ['30000d', undefined],
  ['3 months', undefined],
  ['', undefined],
])('"%s" is a length', (text, ms) => {
  expect(parseLength(text)).toBe(ms);
});

test.each([
  [14 * 24 * HOUR, '2 w'],
  [72 * HOUR, '3 d'],
  [90 * 60_000, '90 m'],
  [1_500, '1.5 s'],
])('%i ms is %s, and read back the same', (ms, text) => {
  expect(lengthText(ms)).toBe(text);
  expect(parseLength(text)).toBe(ms);
});

test('the address holds it', () => {
  expect(readEarlier(new URLSearchParams('under=week'))).toBe('week');
  expect(readEarlier(new URLSearchParams(`under=${writeEarlier(72 * HOUR)}`))).toBe(72 * HOUR);
  expect(readEarlier(new URLSearchParams('under=ever'))).toBeUndefined();
  expect(readEarlier(new URLSearchParams())).toBeUndefined();
  expect([earlierWords('year'), earlierWords(72 * HOUR)]).toEqual(['a year earlier', '3 d earlier']);
});

// Clocks in London go forward on 2026-03-29 and back on 2026-10-25, at 01:00 UTC.
test.each([
  ['day', '2026-05-02T12:00:00Z', 24],
  ['day', '2026-03-29T12:00:00Z', 23],
  ['week', '2026-03-30T12:00:00Z', 7 * 24 - 1],
  ['day', '2026-10-25T12:00:00Z', 25],
  ['week', '2026-10-28T12:00:00Z', 7 * 24 + 1],
  ['year', '2026-05-02T12:00:00Z', 365 * 24],
  ['year', '2024-12-31T12:00:00Z', 366 * 24],
] as const)('a %s before %s the clocks showed the same', (earlier, moment, hours) => {
  expect(shiftOf(earlier, at(moment), 'Europe/London')).toBe(hours * HOUR);
});

test('a typed length is the same everywhere', () => {
  expect(shiftOf(5 * HOUR, at('2026-03-29T03:00:00Z'), 'Europe/London')).toBe(5 * HOUR);
});
