import { expect, test, vi } from 'vitest';
import type { Reading } from '../../api/schema';
import { handPairs, pairOf } from './handPairs';

const at = (minute: number) => new Date(Date.parse('2026-05-01T08:00:00Z') + minute * 60_000).toISOString();
const reading = (minute: number, value: Reading['value']): Reading => ({ at: at(minute), value });

test.each<[string, Reading[], unknown]>([
  ['the nearest, before or after', [reading(7, 1), reading(10, 5), reading(11, 2)], { said: 2, right: 5 }],
  ['not one that was entered too', [reading(8, 1), reading(9, 6), reading(10, 5)], { said: 1, right: 5 }],
  ['nothing where it said nothing', [reading(10, 5)], undefined],
  ['nothing where a text was right', [reading(9, 1), reading(10, 'full')], undefined],
])('beside a reading by hand stands %s', (_, readings, expected) => {
  expect(pairOf(at(10), readings, new Set([at(10), at(9)].slice(0, readings.length > 2 ? 2 : 1)))).toEqual(
    expected,
  );
});

test('pairs are those of readings by hand that have one of the sensor beside them', async () => {
  const answers: Record<string, unknown[]> = {
    'hand-readings': [
      { at: at(10), person: 'ann', note: '' },
      { at: at(500), person: 'ann', note: '' },
    ],
    [String(Date.parse(at(-5)) / 1000)]: [reading(9, 4.5), reading(10, 5)],
    [String(Date.parse(at(485)) / 1000)]: [reading(500, 7)],
  };
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string) => {
      const from = /from=([\d.]+)/.exec(url)?.[1] ?? '';
      const items = url.includes('hand-readings') ? answers['hand-readings'] : answers[from];
      return Promise.resolve(new Response(JSON.stringify({ items })));
    }),
  );
  expect(await handPairs('/x')).toEqual([{ said: 4.5, right: 5 }]);
  vi.unstubAllGlobals();
});
