import { expect, test } from 'vitest';
import { aDevice, aSignal } from '../testing';
import { drawnAmong, drawnOf, keyOf } from './drawn';

const TOWER = aDevice({
  device: 'tower',
  name: 'Water tower',
  interval_s: 30,
  signals: [
    aSignal(),
    aSignal({ signal: 'mode', name: 'Mode', type: 'text' }),
    aSignal({ signal: 'door', name: 'Door', type: 'flag' }),
  ],
});
const SHED = aDevice({
  device: 'tower-2',
  name: 'Shed',
  interval_s: 60,
  signals: [aSignal({ signal: 'level', name: 'Oil', unit: 'm', symbol: 'm' })],
});
const NONE = new Map<string, string>();

test('of a device all that can be drawn is, by its own name', () => {
  expect(drawnOf(TOWER, NONE).map(({ signal, name, interval_s }) => [signal, name, interval_s])).toEqual([
    ['level', aSignal().name, 30],
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
  [['tower/level', 'tower/gone', 'gone/level', 'tower/mode', 'tower'], [aSignal().name]],
  [[], []],
])('of many %o are %o', (wanted, names) => {
  expect(drawnAmong([TOWER, SHED], wanted, NONE).map((signal) => signal.name)).toEqual(names);
});

test('a chosen unit is asked for, and the own one kept', () => {
  const [signal] = drawnAmong([SHED], ['tower-2/level'], new Map([['m', 'cm']]));
  expect(signal).toMatchObject({ unit: 'cm', symbol: 'cm', asked: 'cm', own: 'm', interval_s: 60 });
  expect(signal && keyOf(signal)).toBe('tower-2/level');
});
