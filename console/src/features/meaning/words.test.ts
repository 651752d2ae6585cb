import { describe, expect, it } from 'vitest';
import { caughtInWords, inWords, tidy } from './words';

describe('what values mean', () => {
  it('is said in a few words', () => {
    expect(inWords(undefined)).toBe('as sent');
    expect(inWords({ formula: 'a', screen: {} })).toBe('worked out, screened');
    expect(caughtInWords({ quality: 'rejected', cause: 'jump', count: 1200 })).toBe(
      '1,200 rejected: changed faster than possible',
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
