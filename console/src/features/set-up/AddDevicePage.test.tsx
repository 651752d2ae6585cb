import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, choose, isDisabled, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { AddDevicePage } from './AddDevicePage';

const SEVERAL = '/sites/marlbeck/devices/several';
const KINDS = 'GET /sites/marlbeck/kinds';
const KIND = {
  code: 'shed-sensor',
  revision: 2,
  description: { name: 'Shed sensor', signals: [{ code: 'temp' }] },
};
const ONE = 'Add the device and issue its key';

const device = (code: string) => ({
  code,
  name: code,
  note: '',
  interval_s: 60,
  presence: 'never',
  state: 'trial',
});

test('a device is made with its place, its signals and its key', async () => {
  const asked = answering({ [KINDS]: { items: [] }, [`POST ${SEVERAL}`]: 422 });
  show(<AddDevicePage />);
  type(/Name of the device/, 'Water tower');
  type('Place', 'Hobb Halt');
  type(/^Position/, '54.512, -2.318');
  type(/Reports every/, '30');
  type(/Signal code/, 'level');
  expect(isDisabled(ONE)).toBe(false);
  press(ONE);
  expect(await sent(asked, 'POST', SEVERAL)).toEqual({
    keys: true,
    devices: [
      {
        name: 'Water tower',
        note: '',
        place: 'Hobb Halt',
        interval_s: 30,
        position: { latitude: 54.512, longitude: -2.318 },
        signals: [{ code: 'level', type: 'number' }],
      },
    ],
  });
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>(/Name of the device/).value).toBe('Water tower');
});

test('a range makes several, all or none, with a list of their keys', async () => {
  const made = ['shed-1', 'shed-2'].map((code) => ({
    device: device(code),
    key: {
      key: `key-of-${code}`,
      address: `http://lantern.example/in/key-of-${code}`,
      id: 1,
      hint: 'ab',
      grants: ['send'],
    },
  }));
  const asked = answering({ [KINDS]: { items: [KIND] }, [`POST ${SEVERAL}`]: made });
  show(<AddDevicePage />);
  type(/Name of the device/, 'shed-{1..2}');
  expect(screen.getByText('Makes 2 devices: shed-1 to shed-2.')).toBeTruthy();
  await choose('Kind', 'Shed sensor');
  press('Add 2 devices');
  expect(await sent(asked, 'POST', SEVERAL)).toMatchObject({
    devices: [
      { name: 'shed-1', kind: 'shed-sensor' },
      { name: 'shed-2', kind: 'shed-sensor' },
    ],
  });
  expect(await screen.findAllByText(/key-of-shed-1$/)).not.toEqual([]);
  expect(screen.getAllByText(/key-of-shed-2$/)).not.toEqual([]);
});

test.each([
  [/^Position/, 'north of the tower'],
  [/Reports every/, 'often'],
  [/Name of the device/, 'shed-{1..9000}'],
])('%s does not take "%s"', (label, text) => {
  answering({ [KINDS]: { items: [] } });
  show(<AddDevicePage />);
  type(/Name of the device/, 'Tower');
  type(label, text);
  expect(isDisabled(/^Add (the device and issue its key|\d+ devices)$/)).toBe(true);
});
