import { expect, test } from 'vitest';
import { mendOf } from './mends';

test.each([
  ['contacted', 'open', '/d/sending'],
  ['key', 'open', '/d/sending'],
  ['signals', 'open', '/d/signals'],
  ['plausible', 'failed', '/d/signals'],
  ['clock', 'failed', '/d/contacts'],
  ['interval', 'failed', '/d/set-up'],
  ['coverage', 'open', undefined],
  ['clock', 'passed', undefined],
  ['of a later version', 'open', undefined],
] as const)('%s, %s, is mended at %s', (code, state, to) => {
  expect(mendOf({ code, state }, '/d')?.to).toBe(to);
});
