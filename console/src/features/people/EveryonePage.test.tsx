import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, sent, show, type } from '../../testing-dom';
import { EveryonePage } from './EveryonePage';

const person = (name: string, is_administrator: boolean, has_second_factor = false) => ({
  name,
  is_administrator,
  has_second_factor,
  created_at: '2026-05-01T12:00:00Z',
  sites: is_administrator ? [] : [{ code: 'marlbeck', name: 'Marlbeck', role: 'viewer' }],
});
const EVERYONE = { items: [person('ann', true), person('bob', false, true)] };
const ONE_TIME = { address: 'https://lantern.example/new-password#xyz', expires_at: '2026-05-08T12:00:00Z' };

test('an administrator makes others administrators and helps who lost a telephone', async () => {
  const bodies: unknown[] = [];
  answering({
    'GET /people': EVERYONE,
    'PATCH /people/bob': (body: unknown) => {
      bodies.push(body);
      return person('bob', true);
    },
  });
  show(<EveryonePage />);
  expect(await screen.findByText('marlbeck (viewer)')).toBeTruthy();
  press('Make bob an administrator');
  await waitFor(() => expect(bodies).toEqual([{ is_administrator: true }]));
  press('Take the second factor of bob away');
  await waitFor(() => expect(bodies).toHaveLength(2));
  expect(bodies[1]).toEqual({ has_second_factor: false });
});

test('who forgot a password is sent a one-time address', async () => {
  answering({ 'GET /people': { items: [person('bob', false)] }, 'POST /people/bob/new-password': ONE_TIME });
  show(<EveryonePage />);
  await screen.findByText('bob');
  press('New password');
  expect(await screen.findByText('A new password for bob')).toBeTruthy();
  expect(screen.getByLabelText('the one-time address').textContent).toBe(ONE_TIME.address);
});

test('removing asks first, and says what becomes of it', async () => {
  const asked = answering({ 'GET /people': EVERYONE, 'DELETE /people/bob': {} });
  show(<EveryonePage />);
  await screen.findByText('bob');
  press('Remove bob');
  expect(screen.getByText(/What they did stays in the record/)).toBeTruthy();
  expect(asked.some((one) => one.method === 'DELETE')).toBe(false);
  press('Remove');
  await sent(asked, 'DELETE', '/people/bob');
});

test('the last administrator stays, and it is said why', async () => {
  answering({ 'GET /people': EVERYONE, 'PATCH /people/ann': 409 });
  show(<EveryonePage />);
  await screen.findByText('ann');
  press('ann shall no longer be an administrator');
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
});

test('an administrator is invited', async () => {
  const asked = answering({ 'GET /people': EVERYONE, 'POST /invitations': ONE_TIME });
  show(<EveryonePage />);
  await screen.findByText('ann');
  press('Invite an administrator');
  type(/Who it is for/, 'the night shift');
  press('Make the address');
  expect(await sent(asked, 'POST', '/invitations')).toEqual({ for_whom: 'the night shift', days: 7 });
  expect(await screen.findByText('For the new administrator')).toBeTruthy();
});
