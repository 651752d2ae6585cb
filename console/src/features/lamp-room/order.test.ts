import { expect, test } from 'vitest';
import type { DeviceNow, Presence } from '../../api/schema';
import { byAttention, matching, sentence } from './order';

const device = (name: string, presence: Presence, since?: string): DeviceNow => ({
  device: name.toLowerCase(),
  name,
  presence,
  state: 'live',
  interval_s: 30,
  signals: [],
  ...(since === undefined ? {} : { since }),
});

const NOW = Date.UTC(2026, 4, 1, 12);
const SHED = device('Shed', 'fresh');
const MAST = device('Mast', 'silent', '2026-05-01T02:14:00Z');
const TOWER = device('Tower', 'late', '2026-05-01T11:59:00Z');

test('what needs attention comes first', () => {
  expect(byAttention([SHED, TOWER, device('Box', 'never'), MAST]).map((d) => d.name)).toEqual([
    'Mast',
    'Tower',
    'Box',
    'Shed',
  ]);
});

test('the sentence says how many are how', () => {
  expect(sentence([SHED, TOWER, MAST], 'UTC', NOW)).toBe('1 of 3 fresh, 1 late, 1 silent since 02:14');
  expect(sentence([SHED], 'UTC', NOW)).toBe('The one device is fresh');
  expect(sentence([SHED, SHED], 'UTC', NOW)).toBe('Both devices are fresh');
});

test('words are found in name, code and state', () => {
  expect(matching([SHED, TOWER, MAST], 'silent mas').map((d) => d.name)).toEqual(['Mast']);
  expect(matching([SHED, TOWER], '')).toHaveLength(2);
});
