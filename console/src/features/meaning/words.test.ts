import { describe, expect, it } from 'vitest';
import { caughtInWords, inWords, qualityInWords, tidy } from './words';

describe('what values mean', () => {
  it('is said in a few words', () => {
    expect(inWords(undefined)).toBe('as sent');
    expect(inWords({ formula: 'a', screen: {} })).toBe('worked out, screened');
    expect(caughtInWords({ quality: 'rejected', cause: 'jump', count: 1200 })).toBe(
      '1\u202f200 rejected: changed faster than possible',
    );
  });

  it('tells how much can be believed', () => {
    expect(qualityInWords({ readings: 0, good: 0, caught: [] })).toBe('No readings in the last week.');
    expect(qualityInWords({ readings: 2000, good: 2000, caught: [] })).toBe(
      'All of 2\u202f000 readings of the last week are good.',
    );
    const caught = [{ quality: 'suspect', cause: 'frozen', count: 3 } as const];
    expect(qualityInWords({ readings: 9, good: 6, caught, until: '2026-05-01T00:00:00Z' })).toBe(
      'Of the first 9 readings of the last week 6 are good; 3 suspect: the same for too long.',
    );
  });

  it('leaves out what says nothing', () => {
    expect(tidy({ conversion: { steps: [] }, formula: ' ', screen: {}, others_within_s: 5 })).toBeNull();
    expect(tidy({ conversion: { from: 'cm', steps: [] } })).toEqual({
      conversion: { from: 'cm', steps: [] },
    });
    expect(tidy({ formula: 'a + b', others_within_s: 60 })).toEqual({
      formula: 'a + b',
      others_within_s: 60,
    });
  });
});
