import { expect, test } from 'vitest';
import { inChosenUnit, readUnits, unitChoices } from './otherUnits';

const level = { unit: 'm', symbol: 'm', decimals: 2 };

test('a signal is looked at in the unit that was chosen for its own', () => {
  const chosen = readUnits(['m>cm', 'Cel>[degF]', 'nonsense']);
  expect(inChosenUnit(level, chosen)).toEqual({ unit: 'cm', symbol: 'cm', decimals: 0, asked: 'cm' });
  expect(inChosenUnit({ unit: 'Cel', symbol: '°C', decimals: 1 }, chosen)).toMatchObject({
    symbol: '°F',
    decimals: 1,
    asked: '[degF]',
  });
});

test('what was not chosen, or measures something else, stays as it is', () => {
  expect(inChosenUnit(level, readUnits([]))).toBe(level);
  expect(inChosenUnit(level, readUnits(['m>m']))).toBe(level);
  expect(inChosenUnit(level, readUnits(['m>Cel']))).toBe(level);
});

test('a unit that stands alone has no others', () => {
  expect(unitChoices('[ppm]')).toEqual([]);
  expect(unitChoices(undefined)).toEqual([]);
  expect(unitChoices('kPa').map(({ symbol }) => symbol)).toContain('psi');
});
