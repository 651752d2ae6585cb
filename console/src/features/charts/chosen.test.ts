import { expect, test } from 'vitest';
import { MOST, readSignals, writeSignals } from './chosen';

test.each([
  ['', []],
  ['signals=', []],
  ['signals=tower/level,larder/env.temp-2', ['tower/level', 'larder/env.temp-2']],
  ['signals=tower/level,tower/level', ['tower/level']],
  ['signals=tower,/level,tower/,x/y', ['x/y']],
])('"%s" asks for %o', (query, signals) => {
  expect(readSignals(new URLSearchParams(query))).toEqual(signals);
});

test('what is written is read, and the rest of the address stays', () => {
  const address = writeSignals(new URLSearchParams('span=1d&signals=a/b'), ['tower/level', 'larder/temp']);
  expect(address.get('span')).toBe('1d');
  expect(readSignals(address)).toEqual(['tower/level', 'larder/temp']);
  expect(writeSignals(address, []).toString()).toBe('span=1d');
});

test('there is an end to what one chart shows', () => {
  const many = Array.from({ length: 50 }, (_, i) => `tower/s${i}`);
  expect(readSignals(writeSignals(new URLSearchParams(), many)).length).toBe(MOST);
  expect(readSignals(new URLSearchParams({ signals: many.join() })).length).toBe(MOST);
});
