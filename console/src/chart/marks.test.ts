import { expect, test } from 'vitest';
import type { Mark } from '../api/schema';
import { inWords, markText, placed, stretches } from './marks';

const SPAN = { from: 1_000_000, to: 2_000_000 };
const iso = (share: number) => new Date(SPAN.from + share * 1_000_000).toISOString();
const mark = (share: number, over: Partial<Mark> = {}): Mark => ({
  kind: 'note',
  about: 'tower',
  from: iso(share),
  text: 'x',
  ...over,
});

test('marks stand where they belong, those too close together as one', () => {
  const places = placed([mark(0.5), mark(0.1), mark(0.51), mark(0.9, { kind: 'command' })], SPAN);
  expect(places.map(({ at, marks }) => [at.toFixed(2), marks.length])).toEqual([
    ['0.10', 1],
    ['0.50', 2],
    ['0.90', 1],
  ]);
});

test('what is over before or begins after is not there; what began before stands at the edge', () => {
  const places = placed(
    [
      mark(-0.2),
      mark(1.2),
      mark(-0.5, { to: iso(0.2), text: 'long' }),
      mark(-3, { kind: 'trial', text: 'in trial' }),
    ],
    SPAN,
  );
  expect(places.map(({ at, marks }) => [at, marks.map(({ text }) => text).toSorted()])).toEqual([
    [0, ['in trial', 'long']],
  ]);
});

test('marks that last are bars within the time; a trial goes on', () => {
  const found = stretches(
    [mark(0.2), mark(-0.5, { to: iso(0.2) }), mark(0.75, { kind: 'trial' }), mark(1.5, { to: iso(2) })],
    SPAN,
  );
  expect(found.map(({ from, to }) => [from, to])).toEqual([
    [0, 0.2],
    [0.75, 1],
  ]);
});

test('an alarm goes on until it ends, however long ago it was raised', () => {
  const alarm = (share: number, to?: number) =>
    mark(share, {
      kind: 'alarm',
      text: 'high alarm: Too high',
      ...(to === undefined ? {} : { to: iso(to) }),
    });
  const alarms = [alarm(-3), alarm(-2, -1), alarm(0.5, 0.75)];
  expect(stretches(alarms, SPAN).map(({ from, to }) => [from, to])).toEqual([
    [0, 1],
    [0.5, 0.75],
  ]);
  expect(placed(alarms, SPAN).map(({ at }) => at)).toEqual([0, 0.5]);
  expect(inWords(alarms.slice(0, 2))).toBe('2 alarms');
});

test('marks are told in words', () => {
  expect(inWords([mark(0), mark(0), mark(0, { kind: 'command' })])).toBe('2 notes, 1 command');
  expect(markText(mark(0, { text: 'ladder painted' }))).toBe('tower: ladder painted');
  expect(markText(mark(0, { about: '', text: 'season opens' }))).toBe('season opens');
  expect(markText(mark(0, { kind: 'hand-reading', about: 'tower/level', text: 'by the staff' }))).toBe(
    'tower/level: reading by hand, by the staff',
  );
});
