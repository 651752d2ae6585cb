import { expect, it } from 'vitest';
import { isWhole, objectName, valueText } from './told';

it.each([
  ['', 'the site'],
  ['devices/tower', 'tower'],
  ['devices/tower/signals/level', 'tower/level'],
  ['devices/tower/keys/3', 'tower key 3'],
  ['kinds/tank-gauge', 'kind tank-gauge'],
  ['notes/7', 'note 7'],
  ['people/bob', 'bob'],
  ['devices', 'devices'],
])('calls %j %s', (object, name) => {
  expect(objectName(object)).toBe(name);
});

it.each([
  [undefined, 'nothing'],
  [null, 'nothing'],
  ['', 'nothing'],
  [60, '60'],
  [{ a: 1 }, '{"a":1}'],
  ['x'.repeat(200), `${'x'.repeat(159)}…`],
])('writes %j', (value, text) => {
  expect(valueText(value)).toBe(text);
});

it('does not tell the fields of what is new or gone', () => {
  expect(isWhole([{ field: 'name', after: 'B' }])).toBe(true);
  expect(isWhole([{ field: 'name', before: 'A' }])).toBe(true);
  expect(isWhole([{ field: 'name', before: 'A', after: 'B' }])).toBe(false);
});
