import { expect, test } from 'vitest';
import type { Figures } from '../../api/schema';
import { parseLimit, readWanted, writeWanted, type Limit } from './asked';
import { heatOf, STEPS } from './heat';

test.each<[Limit, string, string | undefined]>([
  ['above', '8', '8'],
  ['above', ' −2.5 ', '-2.5'],
  ['above', '8,5', '8.5'],
  ['above', '8, 9', '8,9'],
  ['above', '8.5,9.5', '8.5,9.5'],
  ['above', 'hot', undefined],
  ['above', '1..2', undefined],
  ['within', '1..2', '1..2'],
  ['within', '1,5..2,5', '1.5..2.5'],
  ['within', '1..2, 3..4', '1..2,3..4'],
  ['within', '1', undefined],
  ['base', '15.5', '15.5'],
  ['base', '15, 16', undefined],
  ['below', '', undefined],
])('%s "%s"', (name, text, expected) => {
  expect(parseLimit(name, text)).toBe(expected);
});

test('the address holds what is asked', () => {
  const wanted = { by: 'month', limits: { above: '8', within: '1..2' } } as const;
  const address = writeWanted(new URLSearchParams('signals=a/b'), wanted);
  expect(address.toString()).toBe('signals=a%2Fb&by=month&above=8&within=1..2');
  expect(readWanted(address)).toEqual(wanted);
  expect(readWanted(new URLSearchParams('by=whole'))).toEqual({ by: '', limits: {} });
  expect(readWanted(new URLSearchParams('by=fortnight&above=hot'))).toEqual({ by: 'day', limits: {} });
  expect(writeWanted(address, { by: '', limits: {} }).toString()).toBe('signals=a%2Fb&by=whole');
});

const HOUR = 3_600_000;
const bucket = (start: string, time_mean: number, hours = 0): Figures => ({
  start_ms: Date.parse(start) + hours * HOUR,
  end_ms: Date.parse(start) + (hours + 1) * HOUR,
  count: 60,
  min: { value: time_mean },
  max: { value: time_mean },
  mean: time_mean,
  time_mean,
  total: 60 * time_mean,
  held_h: 1,
  whole: true,
});

test('hours are put into the days of the zone, in steps from least to greatest', () => {
  const buckets = [bucket('2026-05-01T22:00:00Z', 10), bucket('2026-05-01T22:00:00Z', 17, 1)];
  const heat = heatOf(buckets, 'Europe/London');
  expect([heat.low, heat.high]).toEqual([10, 17]);
  expect(heat.days.map(({ date, cells }) => [date, cells.map(({ hour, step }) => [hour, step])])).toEqual([
    ['2026-05-01', [[23, 0]]],
    ['2026-05-02', [[0, STEPS - 1]]],
  ]);
});

test('an hour that the clocks go through twice is the mean of both', () => {
  // In London the hour from 1 to 2 comes twice on 2026-10-25.
  const twice = [bucket('2026-10-25T00:00:00Z', 10), bucket('2026-10-25T01:00:00Z', 20)];
  expect(heatOf(twice, 'Europe/London').days[0]?.cells).toEqual([
    { hour: 1, value: 15, step: 3, count: 120 },
  ]);
});

test('what does not vary has one step', () => {
  const same = [bucket('2026-05-01T00:00:00Z', 10), bucket('2026-05-01T01:00:00Z', 10)];
  expect(heatOf(same, 'UTC').days[0]?.cells.map(({ step }) => step)).toEqual([0, 0]);
});
