import { expect, test } from 'vitest';
import { doubtfulSpans, shares, textSpans, tones } from './stays';

const BASE = Date.parse('2026-05-01T08:00:00Z');
const at = (minutes: number) => new Date(BASE + minutes * 60_000).toISOString();
const stay = (value: string, from: number, to: number) => ({ value, from: at(from), to: at(to), count: 2 });
const SPAN = { from: BASE, to: BASE + 60 * 60_000 };

/** Spans in minutes. */
const told = (spans: { text: string; from: number; to: number }[]) =>
  spans.map(({ text, from, to }) => [text, (from - BASE) / 60_000, (to - BASE) / 60_000]);

test('a text holds until the next one, unless there was silence between', () => {
  const stays = [stay('eco', -20, 10), stay('boost', 11, 20), stay('eco', 40, 58)];
  expect(told(textSpans(stays, 60, SPAN))).toEqual([
    ['eco', 0, 11],
    ['boost', 11, 20],
    ['eco', 40, 60],
  ]);
});

test('the last text ends where nothing more came in time', () => {
  expect(told(textSpans([stay('eco', 5, 10)], 60, SPAN))).toEqual([['eco', 5, 12.5]]);
});

test('what lies outside is left out', () => {
  expect(textSpans([stay('eco', -50, -40)], 60, SPAN)).toEqual([]);
});

test('times of doubt have their cause', () => {
  const stays = [stay('good', 0, 9), stay('dependent', 10, 20), stay('good', 21, 30)];
  expect(told(doubtfulSpans(stays))).toEqual([['dependent', 10, 20]]);
});

test('each text has a colour of its own, and its share of the time', () => {
  const spans = textSpans([stay('eco', 0, 29), stay('boost', 30, 39), stay('eco', 40, 60)], 120, SPAN);
  expect([...tones(spans)]).toEqual([
    ['eco', 0],
    ['boost', 1],
  ]);
  expect(shares(spans).map(({ text, share }) => [text, Math.round(share * 6)])).toEqual([
    ['eco', 5],
    ['boost', 1],
  ]);
});
