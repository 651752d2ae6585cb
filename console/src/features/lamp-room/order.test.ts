import { expect, test } from 'vitest';
import { aDevice, needing } from '../../testing';
import { byAttention, CONCERNS, counted, matching, sentence } from './order';
import { reasons } from './reasons';
import { rows } from './rows';

const NOW = Date.UTC(2026, 4, 1, 12);
const SHED = needing('Shed');
const MAST = { ...needing('Mast', { concern: 'silent', text: 'silent' }), since: '2026-05-01T02:14:00Z' };
const TOWER = needing('Tower', { concern: 'late', text: 'late' });
const LOSING = needing(
  'Box',
  { concern: 'losses', text: "lost 23 % of a day's messages" },
  { concern: 'trial', text: 'in trial' },
);

const names = (devices: { name: string }[]) => devices.map((device) => device.name);

test('what needs attention comes first, those alike by name', () => {
  const devices = [SHED, TOWER, needing('Annex'), LOSING, MAST];
  expect(names(byAttention(devices))).toEqual(['Mast', 'Box', 'Tower', 'Annex', 'Shed']);
});

// The client says the same: `a_sentence_counts_each_device_once`.
test.each([
  [[SHED], 'The one device is well'],
  [[SHED, SHED], 'Both devices are well'],
  [[SHED, SHED, SHED], 'All 3 devices are well'],
  [[SHED, TOWER, MAST], '1 of 3 is well, 1 silent since 02:14, 1 late'],
  [[SHED, SHED, LOSING], '2 of 3 are well, 1 losing messages'],
])('%o is told in a sentence', (devices, expected) => {
  expect(sentence(devices, 'UTC', NOW)).toBe(expected);
});

test('words are found in name, code, reason and signals, and a concern can be wanted', () => {
  const devices = [SHED, TOWER, MAST, LOSING];
  expect(names(matching(devices, 'silent mas'))).toEqual(['Mast']);
  expect(names(matching(devices, '23 %'))).toEqual(['Box']);
  expect(matching(devices, '')).toHaveLength(4);
  expect(names(matching(devices, '', 'trial'))).toEqual(['Box']);
  expect(matching([aDevice()], 'level')).toHaveLength(1);
});

test('each concern is counted, a device under all it has', () => {
  expect(counted([SHED, TOWER, LOSING]).map(({ concern, count }) => [concern, count])).toEqual([
    ['losses', 1],
    ['late', 1],
    ['trial', 1],
  ]);
  expect(new Set(CONCERNS.map(({ concern }) => concern)).size).toBe(CONCERNS.length);
});

test.each([
  ['fresh', undefined, ['fresh', "lost 23 % of a day's messages", 'in trial']],
  ['silent', '2026-05-01T02:14:00Z', ['silent since 02:14', "lost 23 % of a day's messages", 'in trial']],
  ['never', undefined, ['never heard', "lost 23 % of a day's messages", 'in trial']],
] as const)('a device that is %s says why', (presence, since, expected) => {
  expect(reasons(LOSING, { presence, since, connection: undefined }, 'UTC', NOW)).toEqual(expected);
});

test('what the stream said of presence goes before what was read', () => {
  const standing = { presence: 'fresh', since: undefined, connection: undefined } as const;
  expect(reasons(MAST, standing, 'UTC', NOW)).toEqual(['fresh']);
});

test('devices are laid in rows', () => {
  const some = ['a', 'b', 'c', 'd', 'e'].map((name) => needing(name));
  expect(rows(some, 'none', 2).map((row) => row.form === 'cards' && names(row.devices))).toEqual([
    ['a', 'b'],
    ['c', 'd'],
    ['e'],
  ]);
  expect(rows(some, 'none', 0)).toHaveLength(5);
  expect(rows([], 'kind', 3)).toEqual([]);
});

test('groups have a heading each and keep their order', () => {
  const some = [
    aDevice({ name: 'a', kind: 'sensor', place: 'Hobb Halt' }),
    aDevice({ name: 'b' }),
    aDevice({ name: 'c', kind: 'sensor' }),
    aDevice({ name: 'd', state: 'trial' }),
  ];
  const headings = (by: 'kind' | 'place' | 'state') =>
    rows(some, by, 0).flatMap((row) => (row.form === 'heading' ? [[row.title, row.count]] : []));
  expect(headings('kind')).toEqual([
    ['Of no kind', 2],
    ['sensor', 2],
  ]);
  expect(headings('place')).toEqual([
    ['At no place', 3],
    ['Hobb Halt', 1],
  ]);
  expect(matching(some, 'hobb')).toEqual([some[0]]);
  expect(headings('state')).toEqual([
    ['In trial', 1],
    ['Live', 3],
  ]);
  expect(rows(some, 'kind', 2)).toHaveLength(4);
});
