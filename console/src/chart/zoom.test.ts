import { expect, test } from 'vitest';
import { factorOf, zoomed } from './zoom';

const SPAN = { from: 1_000_000, to: 2_000_000 };
const NOW = 10_000_000;

test.each([
  [0.5, 1_500_000, { from: 1_250_000, to: 1_750_000 }],
  [2, 1_500_000, { from: 500_000, to: 2_500_000 }],
  [0.5, 1_000_000, { from: 1_000_000, to: 1_500_000 }],
  [0.5, 2_000_000, { from: 1_500_000, to: 2_000_000 }],
  [1, 1_234_567, SPAN],
])('by %d around %d it is %o', (factor, at, expected) => {
  expect(zoomed(SPAN, factor, at, NOW)).toEqual(expected);
});

test('the moment under the cursor stays where it is', () => {
  const at = 1_234_567;
  const next = zoomed(SPAN, 0.3, at, NOW);
  const share = (span: typeof SPAN) => (at - span.from) / (span.to - span.from);
  expect(share(next)).toBeCloseTo(share(SPAN), 9);
});

test('it does not reach past now, and is as long as it was asked for', () => {
  const next = zoomed(SPAN, 4, 1_500_000, 2_100_000);
  expect(next).toEqual({ from: 2_100_000 - 4_000_000, to: 2_100_000 });
  // A span that is past it already stays there.
  expect(zoomed(SPAN, 2, 1_500_000, 1_500_000).to).toBe(2_000_000);
});

test('closer and closer ends at single samples, and wider and wider at the past there can be', () => {
  let [close, wide] = [SPAN, SPAN];
  for (let i = 0; i < 100; i += 1) {
    close = zoomed(close, 0.5, close.from, NOW);
    wide = zoomed(wide, 2, wide.from, NOW);
  }
  expect(close.to - close.from).toBe(20);
  expect((wide.to - wide.from) / (366 * 86_400_000)).toBe(20);
});

test('a notch down is wider, one up as much closer, and no wheel leaps', () => {
  expect(factorOf(100)).toBeGreaterThan(1);
  expect(factorOf(100) * factorOf(-100)).toBeCloseTo(1, 12);
  expect(factorOf(1e6)).toBe(factorOf(200));
  expect(factorOf(0)).toBe(1);
});
