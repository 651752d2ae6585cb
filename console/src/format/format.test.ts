import { describe, expect, test } from 'vitest';
import { age, interval } from './age';
import { asSent, change, decimalsOf, fixed, shown, withUnit } from './number';
import { clockTime, dateTime, parseLocal, shortTime } from './time';

describe('numbers', () => {
  test.each([
    [21.399999, 1, '21.4'],
    [-3, 1, '\u22123.0'],
    [-0.01, 1, '0.0'],
    [0, 0, '0'],
    [1e300, 2, '1.000e+300'],
  ])('%f with %i decimals is %s', (value, decimals, expected) => {
    expect(fixed(value, decimals)).toBe(expected);
  });

  test('missing is a dash and never nothing', () => {
    expect(shown(undefined, 1)).toBe('—');
    expect(withUnit('—', 'm')).toBe('—');
    expect(shown(false, 0)).toBe('no');
  });

  test('a position has its sides and its height', () => {
    const here = { latitude: 54.5, longitude: -2.25 };
    expect(shown(here, 4)).toBe('54.5000°\u202fN 2.2500°\u202fW');
    expect(shown({ ...here, altitude_m: 190.4 }, 1)).toBe('54.5°\u202fN 2.3°\u202fW, 190\u202fm');
    expect(decimalsOf(here)).toBe(2);
    expect(asSent(here)).toBe('54.50°\u202fN 2.25°\u202fW');
  });

  test('the arrow has a signed rate', () => {
    expect(change({ direction: 'falling', per_hour: -0.0421 }, 'm').text).toBe('↘ \u22120.042\u202fm/h');
    expect(change({ direction: 'rising', per_hour: 7200 }, 'm').text).toBe('↗ +2.0\u202fm/s');
    expect(change({ direction: 'steady', per_hour: 0.1 }, 'm').text).toBe('→ steady');
  });
});

describe('times', () => {
  const at = Date.UTC(2026, 6, 1, 12, 30, 5);
  test('are in the zone of the site', () => {
    expect(dateTime(at, 'Europe/London')).toBe('2026-07-01 13:30:05');
    expect(clockTime(at, 'UTC')).toBe('12:30');
  });
  test('carry the date only when it is another day', () => {
    expect(shortTime(at, 'UTC', at + 3_600_000)).toBe('12:30');
    expect(shortTime(at, 'UTC', at + 86_400_000)).toBe('2026-07-01 12:30');
  });
  test.each([
    ['2026-07-01 13:30', 'Europe/London', at - 5000],
    ['2026-07-01T13:30:05', 'Europe/London', at],
    ['2026-07-01', 'UTC', Date.UTC(2026, 6, 1)],
    ['1.7.2026', 'UTC', undefined],
    ['2026-13-01', 'UTC', undefined],
  ])('%s in %s is read', (text, zone, expected) => expect(parseLocal(text, zone)).toBe(expected));
  test.each([
    [300, '0 s'],
    [89_000, '89 s'],
    [120_000, '2 min'],
    [7_300_000, '2 h'],
    [200_000_000, '2 days'],
  ])('%i ms ago is %s', (ms, expected) => expect(age(ms)).toBe(expected));
  test('intervals are short', () => {
    expect([30, 300, 3600].map(interval)).toEqual(['30 s', '5 min', '1 h']);
  });
});
