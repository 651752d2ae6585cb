import { expect, test } from 'vitest';
import { inChosenUnit, readUnits, unitChoices, writeUnit } from './otherUnits';

const level = { unit: 'm', symbol: 'm', decimals: 2 };

test('a signal is looked at in the unit that was chosen for its own', () => {
  const chosen = readUnits(new URLSearchParams('in=m>cm&in=Cel>[degF]&in=nonsense'));
  expect(inChosenUnit(level, chosen)).toEqual({ unit: 'cm', symbol: 'cm', decimals: 0, asked: 'cm' });
  expect(inChosenUnit({ unit: 'Cel', symbol: '°C', decimals: 1 }, chosen)).toMatchObject({
    symbol: '°F',
    decimals: 1,
    asked: '[degF]',
  });
});

test('what was not chosen, or measures something else, stays as it is', () => {
  expect(inChosenUnit(level, readUnits(new URLSearchParams()))).toBe(level);
  expect(inChosenUnit(level, readUnits(new URLSearchParams('in=m>m')))).toBe(level);
  expect(inChosenUnit(level, readUnits(new URLSearchParams('in=m>Cel')))).toBe(level);
});

test('a unit that stands alone has no others', () => {
  expect(unitChoices('[ppm]')).toEqual([]);
  expect(unitChoices(undefined)).toEqual([]);
  expect(unitChoices('kPa').map(({ symbol }) => symbol)).toContain('psi');
});

test('what is chosen goes into the address and comes out of it', () => {
  const chosen = writeUnit(new URLSearchParams('span=1w&in=m>cm&in=Cel>K'), 'm', '[ft_i]');
  expect([...readUnits(chosen)]).toEqual([
    ['Cel', 'K'],
    ['m', '[ft_i]'],
  ]);
  expect([...writeUnit(chosen, 'm', 'm')]).toEqual([
    ['span', '1w'],
    ['in', 'Cel>K'],
  ]);
});
