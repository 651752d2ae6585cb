import { expect, test } from 'vitest';
import { heading } from './heading';

test('counts what waits in words', () => {
  expect(heading(0, 1)).toBe('One name waits to be claimed');
  expect(heading(0, 12)).toBe('12 names wait to be claimed');
  expect(heading(1, 0)).toBe('One device waits to be claimed');
  expect(heading(2, 1)).toBe('Two devices wait to be claimed, and one name');
});
