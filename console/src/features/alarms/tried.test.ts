import { expect, test } from 'vitest';
import type { SummarySet } from '../../api/schema';
import { limitsOf, triedPicture } from './TriedChart';
import { canPropose, NEW_WATCH, suggested } from './watchDraft';

const FROM = Date.parse('2026-05-01T00:00:00Z');
const SPAN = { from: FROM, to: FROM + 4 * 3_600_000 };
const iso = (hour: number) => new Date(FROM + hour * 3_600_000).toISOString();
const bucket = (hour: number, value: number) => ({
  start_ms: FROM + hour * 3_600_000,
  end_ms: FROM + (hour + 1) * 3_600_000,
  count: 60,
  first: value,
  last: value,
  min: value - 1,
  max: value + 1,
  mean: value,
  time_mean: value,
});
const set: SummarySet = {
  from: iso(0),
  to: iso(4),
  width_s: 3_600,
  buckets: [bucket(0, 4), bucket(1, 5), bucket(2, 9), bucket(3, 5)],
};

test('a watch that is tried shades when it would have been wrong, and draws its limits', () => {
  const occurrences = [
    { from: iso(1.5), to: iso(2.5), value: 9 },
    { from: iso(3), value: 9 },
  ];
  const picture = triedPicture(set, occurrences, [8, 12], SPAN, 'UTC');
  expect(picture.layers[0]).toEqual({
    kind: 'shade',
    tone: 'wrong',
    spans: [
      { from: FROM + 1.5 * 3_600_000, to: FROM + 2.5 * 3_600_000 },
      // What goes on has no end yet.
      { from: FROM + 3 * 3_600_000, to: SPAN.to },
    ],
  });
  const limits = picture.layers.filter((layer) => layer.kind === 'line' && layer.look === 'dotted');
  expect(limits.map((layer) => layer.kind === 'line' && layer.places)).toEqual([
    [
      [SPAN.from, 8],
      [SPAN.to, 8],
    ],
    [
      [SPAN.from, 12],
      [SPAN.to, 12],
    ],
  ]);
  expect(picture.up[1]).toBeGreaterThan(12);
});

test('conditions have the limits that can be drawn', () => {
  expect(limitsOf({ is: 'above', limit: 8 })).toEqual([8]);
  expect(limitsOf({ is: 'below', limit: -2 })).toEqual([-2]);
  expect(limitsOf({ is: 'outside', low: 1, high: 3 })).toEqual([1, 3]);
  expect(limitsOf({ is: 'flag', value: true })).toEqual([]);
});

test('limits are proposed where nearly all readings lay', () => {
  const draft = (is: (typeof NEW_WATCH)['is'], on = 'fridge/temp') => ({ ...NEW_WATCH, is, on });
  expect(suggested(draft('above'), 2.61349, 4.90211)).toEqual({ first: '4.902' });
  expect(suggested(draft('below'), 2.61349, 4.90211)).toEqual({ first: '2.613' });
  expect(suggested(draft('outside'), -0.5, 0.5)).toEqual({ first: '-0.5', second: '0.5' });
  expect([canPropose(draft('above')), canPropose(draft('above', '')), canPropose(draft('flag'))]).toEqual([
    true,
    false,
    false,
  ]);
});
