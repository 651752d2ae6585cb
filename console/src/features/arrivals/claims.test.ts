import { expect, test } from 'vitest';
import type { Arrival } from '../../api/schema';
import { likely } from './claims';

const arrival = (over: Partial<Arrival>): Arrival => ({
  device: 'tower',
  name: 'supply',
  first_at: '2026-05-01T12:00:00Z',
  last: [],
  readings: 3,
  type: 'number',
  ...over,
});

test.each([
  [{ unit: 'V' }, { code: 'supply', type: 'number', note: '', unit: 'V' }],
  [{}, { code: 'supply', type: 'number', note: '' }],
  [
    { type: 'text', unit: 'V' },
    { code: 'supply', type: 'text', note: '' },
  ],
  [{ like: 'supply-v' }, { into: 'supply-v' }],
] as const)('%j is claimed as %j', (over, expected) => expect(likely(arrival(over))).toEqual(expected));
