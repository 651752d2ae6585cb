import { expect, test } from 'vitest';
import { aSignal } from '../testing';
import { arrange, isCrowded, readArrangement, type Arrangement } from './arrange';
import type { Drawn } from './drawn';
import type { Pieces } from './liveSummary';

const drawn = (signal: string, unit?: string, type: 'number' | 'flag' | 'text' = 'number'): Drawn => ({
  ...aSignal({ signal, name: signal, type, symbol: unit ?? '' }),
  ...(unit === undefined ? {} : { unit }),
  device: 'd',
  interval_s: 60,
});
const between = (min: number, max: number): Pieces => ({
  width_s: 1,
  pieces: [{ start_ms: 0, min, max, mean: min, count: 2 }],
});
const shown = (signals: Drawn[], how: Arrangement, sets: Record<string, Pieces> = {}) =>
  arrange(signals, how, new Map(Object.entries(sets).map(([key, set]) => [`d/${key}`, set]))).map(
    ({ left, right }) => {
      const names = (part: Drawn[]) => part.map(({ signal }) => signal).join();
      return right.length === 0 ? names(left) : `${names(left)} | ${names(right)}`;
    },
  );

const MIXED = [
  drawn('a', 'm'),
  drawn('t', 'Cel'),
  drawn('b', 'm'),
  drawn('door', undefined, 'flag'),
  drawn('x', undefined, 'text'),
];

test.each<[Arrangement, string[]]>([
  ['unit', ['a,b', 't', 'door']],
  ['range', ['a,b', 't', 'door']],
  ['pair', ['a,b | t', 'door']],
  ['each', ['a', 'b', 't', 'door']],
])('signals %s: texts are not drawn, flags stay by themselves', (how, panes) => {
  expect(shown(MIXED, how)).toEqual(panes);
});

test('a pane has five lines at most, those of its second axis among them', () => {
  const seven = Array.from({ length: 7 }, (_, i) => drawn(`s${i}`, 'm'));
  expect(shown(seven, 'unit')).toEqual(['s0,s1,s2,s3,s4', 's5,s6']);
  expect(shown([...seven.slice(0, 4), drawn('t', 'Cel'), drawn('u', 'Cel')], 'pair')).toEqual([
    's0,s1,s2,s3',
    't,u',
  ]);
  expect(isCrowded(seven)).toBe(true);
  expect(isCrowded(seven.slice(2))).toBe(false);
});

test('ranges that overlap stay together, the order of choice is kept', () => {
  const signals = ['hot', 'cold', 'warm', 'new'].map((name) => drawn(name, 'Cel'));
  const sets = { hot: between(80, 95), cold: between(2, 6), warm: between(70, 81) };
  expect(shown(signals, 'range', sets)).toEqual(['hot,warm', 'cold,new']);
  expect(shown(signals, 'range')).toEqual(['hot,cold,warm,new']);
});

test('the address says how', () => {
  expect(readArrangement(new URLSearchParams('panes=each'))).toBe('each');
  expect(readArrangement(new URLSearchParams('panes=sideways'))).toBe('unit');
});
