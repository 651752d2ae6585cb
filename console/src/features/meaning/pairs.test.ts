import { expect, test } from 'vitest';
import { parsePairs } from './pairs';

test('pairs are read however they are set apart', () => {
  expect(parsePairs('0.6 0\n98.1=99.6\n\n-3;\u22122.5')).toEqual({
    pairs: [
      { said: 0.6, right: 0 },
      { said: 98.1, right: 99.6 },
      { said: -3, right: -2.5 },
    ],
  });
});

test('the line that is no pair is named', () => {
  expect(parsePairs('1 2\n3').wrong).toBe(2);
  expect(parsePairs('one two').wrong).toBe(1);
  expect(parsePairs('1 2 3').wrong).toBe(1);
});
