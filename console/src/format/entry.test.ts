import { afterEach, expect, test } from 'vitest';
import { entryHint, holdsNaN, numberOrNull, readNumber, written } from './entry';
import { setDecimalMark } from './mark';
import { asSent, change, grouped, shown, withUnit } from './number';

afterEach(() => setDecimalMark('point'));

test.each([
  ['1.5', 1.5],
  ['1,5', 1.5],
  ['\u22121,5', -1.5],
  ['-1.5', -1.5],
  [' 12 345,6 ', 12345.6],
  ['12\u202f345', 12345],
  [',5', 0.5],
  ['5.', 5],
  ['1e-3', 0.001],
  ['+2', 2],
  ['', 'empty'],
  ['  ', 'empty'],
  ['1,234.5', 'wrong'],
  ['1.234,5', 'wrong'],
  ['1,2,3', 'wrong'],
  ['warm', 'wrong'],
  ['1.5 m', 'wrong'],
  ['Infinity', 'wrong'],
  ['1e999', 'wrong'],
  ['0x10', 'wrong'],
])('%j is %j', (text, expected) => expect(readNumber(text)).toBe(expected));

test('what is no number is never taken for nothing', () => {
  expect(numberOrNull('')).toBeNull();
  expect(numberOrNull('1,5')).toBe(1.5);
  expect(numberOrNull('1,5,')).toBeNaN();
});

test('a comma is said to be understood', () => {
  expect(entryHint('1,234')).toBe('Read as 1.234');
  expect(entryHint('1.234')).toBeUndefined();
  expect(entryHint('x')).toBe('This is no number');
  expect(entryHint('')).toBeUndefined();
});

test.each([
  [{ screen: { possible: { low: NaN } } }, true],
  [{ steps: [{ points: [[1, NaN]] }] }, true],
  [{ low: 1, high: null, note: 'NaN' }, false],
  [undefined, false],
])('%j holds no number somewhere: %j', (value, expected) => expect(holdsNaN(value)).toBe(expected));

test('a site that writes commas shows and reads them, and takes points too', () => {
  setDecimalMark('comma');
  expect(shown(-1234.5, 2)).toBe('\u22121234,50');
  expect(shown({ latitude: 54.5, longitude: -2.25 }, 2)).toBe('54,50°\u202fN 2,25°\u202fW');
  expect(withUnit(asSent(0.1), 'm')).toBe('0,1\u202fm');
  expect(change({ direction: 'falling', per_hour: -1.5 }, 'm').text).toBe('↘ \u22121,5\u202fm/h');
  expect(written(1.5)).toBe('1,5');
  expect(readNumber('1,5')).toBe(1.5);
  expect(entryHint('1,5')).toBeUndefined();
  expect(entryHint('1.234')).toBe('Read as 1,234');
  expect(grouped(1234567)).toBe('1\u202f234\u202f567');
});

test('thousands stand apart without a mark', () => {
  expect([0, 999, 1000, 20126].map(grouped)).toEqual(['0', '999', '1\u202f000', '20\u202f126']);
});
