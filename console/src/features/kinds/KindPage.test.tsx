import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import { A_SITE } from '../../testing';
import { answering, press, show } from '../../testing-dom';
import { KindPage } from './KindPage';

const KIND = '/sites/marlbeck/kinds/shed-sensor';
const description = {
  name: 'Shed sensor',
  signals: [
    { code: 'temp', type: 'number' },
    { code: 'hum', type: 'number' },
  ],
};
const base = (followers: object[]) => ({
  [`GET ${KIND}`]: {
    code: 'shed-sensor',
    revision: 2,
    devices: followers.length,
    description,
    made_at: '',
    made_by: 'ann',
  },
  [`GET ${KIND}/devices`]: { items: followers },
  [`GET ${KIND}/revisions`]: {
    items: [
      { revision: 2, description, made_at: '2026-05-02T08:00:00Z', made_by: 'bob' },
      { revision: 1, description: { name: 'Shed sensor' }, made_at: '2026-05-01T08:00:00Z', made_by: 'ann' },
    ],
  },
});
const follower = (device: string, revision: number) => ({ device, name: `Shed ${device}`, revision });
const AT = { at: '/kinds/shed-sensor', route: '/kinds/:kind' };

test.each([
  [[], 'No device follows it yet'],
  [[follower('a', 2)], 'All its devices follow the newest revision'],
  [[follower('a', 1)], 'Its one device follows an older revision'],
  [[follower('a', 1), follower('b', 2), follower('c', 1)], '2 of 3 devices follow an older revision'],
])('who follows which revision: %j', async (followers, told) => {
  answering(base(followers));
  show(<KindPage />, AT);
  expect(await screen.findByRole('heading', { name: told })).toBeTruthy();
});

test('revisions tell who made them and what they measure', async () => {
  answering(base([]));
  show(<KindPage />, AT);
  expect(await screen.findByText('temp, hum')).toBeTruthy();
  expect(screen.getByText('bob')).toBeTruthy();
  expect(screen.getByText('—')).toBeTruthy();
});

test('devices that are behind can be moved', async () => {
  answering(base([follower('a', 1)]));
  show(<KindPage />, AT);
  await screen.findByText('Its one device follows an older revision');
  press('Move it to revision 2');
  expect(await screen.findByRole('dialog')).toBeTruthy();
});

test('a viewer reads it and changes nothing', async () => {
  answering(base([follower('a', 1)]));
  const site = { ...A_SITE, access: { role: 'viewer' as const, may: ['look' as const] } };
  show(<KindPage />, { ...AT, site });
  await screen.findByText('Its one device follows an older revision');
  expect(screen.queryAllByRole('button')).toEqual([]);
  expect(screen.queryByText('Revise it')).toBeNull();
});

test('a kind that is not there says so', async () => {
  answering({ [`GET ${KIND}`]: 404 });
  show(<KindPage />, AT);
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
});
