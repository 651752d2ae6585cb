import { expect, test } from 'vitest';
import { offsetOf, zoneDate } from './zoneClock';

const at = (text: string) => Date.parse(text);
const HOUR = 3_600_000;

test.each([
  ['UTC', '2026-07-01T12:00:00Z', 0],
  ['Europe/London', '2026-03-29T00:59:59.999Z', 0],
  ['Europe/London', '2026-03-29T01:00:00Z', HOUR],
  ['Europe/London', '2026-10-25T00:59:59.999Z', HOUR],
  ['Europe/London', '2026-10-25T01:00:00Z', 0],
  ['Asia/Kathmandu', '2026-01-01T00:00:00Z', 5.75 * HOUR],
  ['America/St_Johns', '2026-01-01T00:00:00Z', -3.5 * HOUR],
  ['Australia/Lord_Howe', '2026-04-04T14:59:00Z', 11 * HOUR],
  ['Australia/Lord_Howe', '2026-04-04T15:00:00Z', 10.5 * HOUR],
])('in %s the clocks at %s are ahead by %i', (zone, text, offset) => {
  expect(offsetOf(at(text), zone)).toBe(offset);
  // The second time it is known.
  expect(offsetOf(at(text), zone)).toBe(offset);
});

test('the fields of a date are those of the zone', () => {
  const date = zoneDate(at('2026-06-30T18:30:15.250Z'), 'Asia/Kathmandu');
  const fields = [
    date.getFullYear(),
    date.getMonth() + 1,
    date.getDate(),
    date.getHours(),
    date.getMinutes(),
  ];
  expect(fields).toEqual([2026, 7, 1, 0, 15]);
  expect([date.getSeconds(), date.getMilliseconds()]).toEqual([15, 250]);
});
