import { describe, expect, test } from 'vitest';
import { timeTicks } from './timeTicks';

const LONDON = 'Europe/London';
const span = (from: string, to: string) => ({ from: Date.parse(from), to: Date.parse(to) });
const texts = (from: string, to: string, most: number, zone = LONDON) =>
  timeTicks(span(from, to), zone, most).map((tick) => tick.text);

describe('marks of time', () => {
  test.each([
    [
      'an hour',
      '2026-01-05T12:00:00Z',
      '2026-01-05T13:00:00Z',
      6,
      ['12:00', '12:10', '12:20', '12:30', '12:40', '12:50', '13:00'],
    ],
    [
      'ten seconds',
      '2026-01-05T12:00:00Z',
      '2026-01-05T12:00:04Z',
      5,
      ['12:00:00', '12:00:01', '12:00:02', '12:00:03', '12:00:04'],
    ],
    [
      'a burst',
      '2026-01-05T12:00:00.100Z',
      '2026-01-05T12:00:00.300Z',
      4,
      ['00.100', '00.150', '00.200', '00.250', '00.300'],
    ],
    ['two days', '2026-01-05T03:00:00Z', '2026-01-07T03:00:00Z', 4, ['12:00', '01-06', '12:00', '01-07']],
    [
      'weeks, from Monday on',
      '2026-01-01T00:00:00Z',
      '2026-02-01T00:00:00Z',
      5,
      ['01-05', '01-12', '01-19', '01-26'],
    ],
    [
      'months',
      '2026-01-15T00:00:00Z',
      '2026-07-15T00:00:00Z',
      7,
      ['2026-02', '2026-03', '2026-04', '2026-05', '2026-06', '2026-07'],
    ],
    ['years', '2020-03-01T00:00:00Z', '2026-03-01T00:00:00Z', 4, ['2022', '2024', '2026']],
  ])('%s', (_, from, to, most, expected) => {
    expect(texts(from, to, most)).toEqual(expected);
  });

  test.each([
    ['put forward', '2026-03-28T18:00:00Z', '2026-03-29T12:00:00Z', ['18:00', '03-29', '06:00', '12:00']],
    ['put back', '2026-10-24T17:00:00Z', '2026-10-25T12:00:00Z', ['18:00', '10-25', '06:00', '12:00']],
  ])('stay round when the clocks are %s', (_, from, to, expected) => {
    expect(texts(from, to, 4)).toEqual(expected);
  });

  test('an hour that the clocks skip has no mark, and one they show twice has one', () => {
    expect(texts('2026-03-29T00:00:00Z', '2026-03-29T03:00:00Z', 4)).toEqual([
      '03-29',
      '02:00',
      '03:00',
      '04:00',
    ]);
    const back = timeTicks(span('2026-10-24T23:00:00Z', '2026-10-25T03:00:00Z'), LONDON, 5);
    expect(new Set(back.map((tick) => tick.at)).size).toBe(back.length);
    expect(back.map((tick) => tick.text)).toEqual(['10-25', '01:00', '02:00', '03:00']);
  });

  test.each([LONDON, 'UTC', 'Asia/Kathmandu', 'Australia/Lord_Howe', 'America/St_Johns'])(
    'lie in the span, in order, and are not more than asked for, in %s',
    (zone) => {
      for (let power = 2; power < 11.5; power += 0.25) {
        const from = Date.parse('2026-03-28T21:17:33.123Z');
        const shown = { from, to: from + 10 ** power };
        for (const most of [2, 5, 9]) {
          const ats = timeTicks(shown, zone, most).map((tick) => tick.at);
          expect(ats.toSorted((a, b) => a - b)).toEqual(ats);
          expect(ats.length).toBeLessThanOrEqual(most + 1);
          expect(ats.every((at) => at >= shown.from && at <= shown.to)).toBe(true);
        }
      }
    },
  );

  test('a span that is none has none', () => {
    expect(timeTicks({ from: 5, to: 5 }, LONDON, 5)).toEqual([]);
    expect(timeTicks({ from: 9, to: 5 }, LONDON, 5)).toEqual([]);
  });
});
