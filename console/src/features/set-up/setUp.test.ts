import { expect, test } from 'vitest';
import { parsePosition, positionText } from './position';
import { propose } from './propose';

test('codes are proposed as the service does', () => {
  expect(propose('Water tower, Hobb Halt')).toBe('water-tower-hobb-halt');
  expect(propose('Ünï')).toBe('n');
  expect(propose('…')).toBe('');
});

test('positions are read and written', () => {
  expect(parsePosition('54.52, -2.31')).toEqual({ latitude: 54.52, longitude: -2.31 });
  expect(parsePosition('54.52,-2.31,210')?.altitude_m).toBe(210);
  expect(parsePosition('')).toBeNull();
  for (const wrong of ['54', 'a, b', '1,2,3,4', '1,']) expect(parsePosition(wrong)).toBeUndefined();
  expect(positionText({ latitude: 1, longitude: 2, altitude_m: 3 })).toBe('1, 2, 3');
});
