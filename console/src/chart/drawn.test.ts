import { expect, test } from 'vitest';
import { aDevice, aSignal } from '../testing';
import { drawnAmong, drawnOf, fullName, keyOf, paneName, shortNames } from './drawn';

const TOWER = aDevice({
  device: 'tower',
  name: 'Water tower',
  interval_s: 30,
  signals: [
    aSignal(),
    aSignal({ signal: 'mode', name: 'Mode', type: 'text' }),
    aSignal({ signal: 'door', name: 'Door', type: 'flag' }),
    aSignal({ signal: 'pos', name: 'Position', type: 'position' }),
  ],
});
const SHED = aDevice({
  device: 'tower-2',
  name: 'Shed',
  interval_s: 60,
  signals: [aSignal({ signal: 'level', name: 'Oil', unit: 'm', symbol: 'm' })],
});
const NONE = new Map<string, string>();

test('of a device all that a chart can show is, by its own name: no position', () => {
  expect(drawnOf(TOWER, NONE).map(({ signal, name, interval_s }) => [signal, name, interval_s])).toEqual([
    ['level', aSignal().name, 30],
    ['mode', 'Mode', 30],
    ['door', 'Door', 30],
  ]);
});

test.each<[string[], string[]]>([
  [
    ['tower-2/level', 'tower/level'],
    ['Shed: Oil', `Water tower: ${aSignal().name}`],
  ],
  [
    ['tower/level', 'tower/door'],
    [aSignal().name, 'Door'],
  ],
  [['tower/level', 'tower/gone', 'gone/level', 'tower/pos', 'tower'], [aSignal().name]],
  [[], []],
])('of many %o are %o', (wanted, names) => {
  expect(drawnAmong([TOWER, SHED], wanted, NONE).map(fullName)).toEqual(names);
});

test('a chosen unit is asked for, and the own one kept', () => {
  const [signal] = drawnAmong([SHED], ['tower-2/level'], new Map([['m', 'cm']]));
  expect(signal).toMatchObject({ unit: 'cm', symbol: 'cm', asked: 'cm', own: 'm', interval_s: 60 });
  expect(signal && keyOf(signal)).toBe('tower-2/level');
});

const a = (of: string | undefined, name: string) => ({ name, ...(of === undefined ? {} : { of }) });
test.each([
  [[a(undefined, 'Level')], ['Level'], 'Level'],
  [[a(undefined, 'Level'), a(undefined, 'Oil')], ['Level', 'Oil'], 'Level, Oil'],
  [[a('Tower', 'Level')], ['Level'], 'Tower: Level'],
  [[a('Tower', 'Level'), a('Tower', 'Oil')], ['Level', 'Oil'], 'Tower: Level · Oil'],
  [
    [a('Shed, bay 1', 'Temp'), a('Shed, bay 2', 'Temp')],
    ['Shed, bay 1', 'Shed, bay 2'],
    'Temp: Shed, bay 1 · Shed, bay 2',
  ],
  [[a('Shed', 'Temp'), a('Larder', 'Fridge')], ['Shed', 'Larder'], 'Shed: Temp · Larder: Fridge'],
  [
    [a('Shed', 'Temp'), a('Shed', 'Dew'), a('Larder', 'Temp')],
    ['Shed: Temp', 'Shed: Dew', 'Larder: Temp'],
    'Shed: Temp · Shed: Dew · Larder: Temp',
  ],
  [[], [], ''],
])('of %o, what tells them apart is %o', (pane, names, title) => {
  expect(shortNames(pane)).toEqual(names);
  expect(paneName(pane)).toBe(title);
});
