import { expect, test } from 'vitest';
import type { DeviceCoverage } from '../../api/schema';
import { csvOf, endOf, meanShare, monthOf, partsOf, percent } from './parts';

const device = (over: Partial<DeviceCoverage> = {}): DeviceCoverage => ({
  device: 'tower',
  name: 'Water tower',
  interval_s: 900,
  expected: 16,
  received: 9,
  expected_each: [0, 4, 4, 4, 4],
  received_each: [0, 4, 3, 0, 2],
  lost_each: [0, 0, 0, 0, 2],
  messages: 9,
  refused: 0,
  repeated: 0,
  late: 0,
  oldest_s: 0,
  gaps: [],
  ...over,
});

test('each part says how much came', () => {
  expect(partsOf(device()).map(({ state }) => state)).toEqual([
    'nothing-expected',
    'full',
    'part',
    'none',
    'lost',
  ]);
});

test.each([
  [9, 16, '56.2\u202f%'],
  [99_999, 100_000, '99.9\u202f%'],
  [4, 4, '100\u202f%'],
  [0, 0, '—'],
])('%i of %i is %s', (received, expected, text) => {
  expect(percent(received, expected)).toBe(text);
});

test('devices count alike, however often they report', () => {
  const often = device({ expected: 100_000, received: 0 });
  const seldom = device({ expected: 4, received: 4 });
  expect(meanShare([often, seldom, device({ expected: 0, received: 0 })])).toBe('50\u202f%');
  expect(meanShare([])).toBe('—');
});

test('months begin and end at midnight of the site', () => {
  const at = Date.parse('2026-05-15T12:00:00Z');
  const may = monthOf(at, 0, 'Europe/London');
  expect([may.name, new Date(may.from).toISOString(), new Date(may.to).toISOString()]).toEqual([
    '2026-05',
    '2026-04-30T23:00:00.000Z',
    '2026-05-31T23:00:00.000Z',
  ]);
  expect(monthOf(at, 5, 'Europe/London').name).toBe('2025-12');
});

test('the file has a line for each part, names quoted where they have to be', () => {
  const text = csvOf(
    [device({ name: 'Tower, "Hobb"', expected_each: [4], received_each: [3], lost_each: [1] })],
    ['2026-05-01 00:00'],
  );
  expect(text).toBe(
    'device,name,from,expected,received,lost\r\ntower,"Tower, ""Hobb""",2026-05-01 00:00,4,3,1\r\n',
  );
});

test('what ended a gap is said in words', () => {
  expect(endOf({ from: '', length_s: 1, ended: 'lost-on-the-way' })).toContain('nothing came through');
});
