import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Device } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, sent, show, type, where } from '../../testing-dom';
import { SettingsSection } from './SettingsSection';

const PATH = '/sites/marlbeck/devices/tower';
const DEVICE: Device = {
  code: 'tower',
  name: 'Water tower',
  note: '',
  place: 'Hobb Halt',
  interval_s: 30,
  position: { latitude: 54.512, longitude: -2.318, altitude_m: 214 },
  created_at: '2026-05-01T00:00:00Z',
  presence: 'fresh',
  state: 'live',
};

const open = async (answers = {}) => {
  const asked = answering({
    [`GET ${PATH}`]: DEVICE,
    [`GET ${PATH}/presence`]: { items: [] },
    [`PATCH ${PATH}`]: { ...DEVICE, name: 'Tower' },
    ...answers,
  });
  show(<SettingsSection code="tower" />);
  await screen.findByLabelText(/Name of the device/);
  return asked;
};

test.each([
  [/Name of the device/, 'Tower', { name: 'Tower' }],
  ['Place', '', { place: '' }],
  [/^Position/, '', { position: null }],
  [/^Position/, '54.5, -2.3', { position: { latitude: 54.5, longitude: -2.3 } }],
  ['Note', 'behind the pump', { note: 'behind the pump' }],
  ['Late after intervals', '2,5', { late_after: 2.5 }],
  [/MQTT topics/, 'a/{signal}\n\n b ', { topics: ['a/{signal}', 'b'] }],
])('only what was changed is sent: %s', async (label, text, change) => {
  const asked = await open();
  expect(isDisabled('Save')).toBe(true);
  type(label, text);
  press('Save');
  expect(await sent(asked, 'PATCH', PATH)).toEqual(change);
});

test.each([
  [/^Position/, 'up there'],
  ['Silent after intervals', '1,2,3'],
])('%s does not take "%s"', async (label, text) => {
  await open();
  type(label, text);
  expect(isDisabled('Save')).toBe(true);
});

test('a refusal is said and nothing typed is lost', async () => {
  await open({ [`PATCH ${PATH}`]: 422 });
  type('Note', 'long');
  press('Save');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(screen.getByLabelText<HTMLTextAreaElement>('Note').value).toBe('long');
});

test('removing asks for its code and leads to the lamp room', async () => {
  const asked = await open({
    [`GET ${PATH}/extent`]: { readings: 7 },
    [`DELETE ${PATH}?confirm=tower`]: { readings: 7 },
  });
  press('Remove this device');
  await screen.findByLabelText(/Type its code/);
  type(/Type its code/, 'tower');
  press('Remove');
  await sent(asked, 'DELETE', `${PATH}?confirm=tower`);
  await waitFor(() => expect(where()).toBe('/sites/marlbeck'));
});
