import { expect, test } from 'vitest';
import { around, dayOf, midnights } from './days';

const at = (text: string) => Date.parse(text);
const DAY = 86_400_000;
const LONDON = 'Europe/London';

test('days begin at midnight of the zone', () => {
  expect(dayOf(at('2026-05-01T23:30:00Z'), LONDON)).toBe(at('2026-05-01T23:00:00Z'));
  expect(dayOf(at('2026-05-01T23:30:00Z'), 'UTC')).toBe(at('2026-05-01T00:00:00Z'));
});

test('midnights stay midnights over a change of the clocks', () => {
  const found = midnights({ from: at('2026-03-28T12:00:00Z'), to: at('2026-03-31T12:00:00Z') }, LONDON);
  expect(found.map((one) => new Date(one).toISOString().slice(0, 16))).toEqual([
    '2026-03-29T00:00',
    '2026-03-29T23:00',
    '2026-03-30T23:00',
  ]);
  expect(midnights({ from: 0, to: 60 * DAY }, LONDON)).toEqual([]);
});

test('a week begins on Monday, a day may have 23 hours', () => {
  // 2026-05-03 is a Sunday.
  expect(around('week', at('2026-05-03T12:00:00Z'), 'UTC')).toEqual({
    from: at('2026-04-27T00:00:00Z'),
    to: at('2026-05-04T00:00:00Z'),
  });
  const short = around('day', at('2026-03-29T12:00:00Z'), LONDON);
  expect(short.to - short.from).toBe(23 * 3_600_000);
});
