import { describe, expect, it } from 'vitest';
import type { Compared, Comparison } from '../../api/schema';
import { inSentence } from './sentence';

const found: Comparison = {
  reference: 'a/x',
  unit: 'm',
  symbol: 'm',
  from: '',
  to: '',
  tolerance_s: 1,
  others: [],
};
const other = (bias: number, spread: number, shifted_s = 0): Compared => ({
  signal: 'b/y',
  shifted_s,
  pairs: 9,
  of_reference: 9,
  figures: { bias, spread, rms: 1, least: -1, greatest: 1, decimals: 2 },
  sample: [],
  differences: [],
});

describe('a comparison', () => {
  it('is said in a sentence', () => {
    expect(inSentence(found, other(-0.5, 0.1))).toBe(
      'b/y reads 0.50\u202fm less than a/x, give or take 0.10\u202fm.',
    );
    expect(inSentence(found, other(0.01, 0.1, 86_400))).toBe(
      'b/y, 1 d before, reads the same on the whole as a/x, give or take 0.10\u202fm.',
    );
  });
});
