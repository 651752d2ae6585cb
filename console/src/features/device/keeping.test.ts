import { describe, expect, it } from 'vitest';
import { bytes, lengthLabel } from './keeping';

describe('keeping', () => {
  it.each([
    [3_600, '1 hour'],
    [5_400, '1.5 hours'],
    [172_800, '2 days'],
    [31_557_600, '365.3 days'],
  ])('says %d s as %s', (seconds, words) => expect(lengthLabel(seconds)).toBe(words));

  it.each([
    [999, '999 bytes'],
    [1_500, '1.5 kB'],
    [2_500_000, '2.5 MB'],
    [12_340_000_000, '12.34 GB'],
  ])('says %d bytes as %s', (n, words) => expect(bytes(n)).toBe(words));
});
