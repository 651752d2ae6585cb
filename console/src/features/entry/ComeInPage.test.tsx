import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, Refused, sent, show, type, where } from '../../testing-dom';
import { ComeInPage } from './ComeInPage';

const INVITED = {
  for_whom: 'Bob, signals',
  site: 'Marlbeck',
  site_code: 'marlbeck',
  role: 'operator',
  is_administrator: false,
  invited_by: 'ann',
  expires_at: '2026-05-08T12:00:00Z',
};
const ME = { person: 'bob', is_administrator: false, expires_at: '2026-05-15T12:00:00Z', csrf: 'c' };
const AT = { at: '/join#abc', route: '/join' };

test('somebody new chooses a name and a password', async () => {
  const asked = answering({ 'POST /invited': INVITED, 'GET /me': null, 'POST /come-in': ME });
  show(<ComeInPage />, AT);
  expect(await screen.findByText('ann invites you to Marlbeck as operator.')).toBeTruthy();
  expect(await sent(asked, 'POST', '/invited')).toEqual({ secret: 'abc' });
  type(/Your name/, 'bob');
  type(/Password/, 'steam and brass');
  press('Come in');
  expect(await sent(asked, 'POST', '/come-in')).toEqual({
    secret: 'abc',
    name: 'bob',
    password: 'steam and brass',
  });
  await waitFor(() => expect(where()).toBe('/'));
});

test('somebody who is here already accepts', async () => {
  const asked = answering({ 'POST /invited': INVITED, 'GET /me': ME, 'POST /accept': {} });
  show(<ComeInPage />, AT);
  press((await screen.findByRole('button', { name: 'Accept as bob' })).textContent);
  expect(await sent(asked, 'POST', '/accept')).toEqual({ secret: 'abc' });
});

test('a name that is taken is told, and the address is still good', async () => {
  answering({ 'POST /invited': INVITED, 'GET /me': null, 'POST /come-in': 409 });
  show(<ComeInPage />, AT);
  await screen.findByText(/invites you/);
  type(/Your name/, 'ann');
  type(/Password/, 'steam and brass');
  press('Come in');
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
  expect(screen.getByRole('button', { name: 'Come in' })).toBeTruthy();
});

test('an address that is over says so', async () => {
  answering({ 'POST /invited': 404, 'GET /me': null });
  show(<ComeInPage />, AT);
  expect(await screen.findByText('This address does not lead in')).toBeTruthy();
});

test('an administrator is told what they become', async () => {
  const invited = {
    for_whom: 'x',
    is_administrator: true,
    invited_by: 'ann',
    expires_at: INVITED.expires_at,
  };
  answering({ 'POST /invited': invited, 'GET /me': null });
  show(<ComeInPage />, AT);
  expect(await screen.findByText('ann invites you as administrator of this service.')).toBeTruthy();
});

test('a new password asks for the second factor where there is one', async () => {
  const bodies: unknown[] = [];
  answering({
    'POST /invited': { ...INVITED, person: 'bob' },
    'GET /me': null,
    'POST /come-in': (body: { second?: string }) => {
      bodies.push(body);
      return body.second === undefined ? new Refused(401, 'second-factor-needed') : ME;
    },
  });
  show(<ComeInPage />, AT);
  await screen.findByLabelText(/New password/);
  type(/New password/, 'rails and rivets');
  press('Set the password');
  await screen.findByLabelText(/Code of your second factor/);
  type(/Code of your second factor/, '123456');
  press('Set the password');
  await waitFor(() => expect(where()).toBe('/'));
  expect(bodies.at(-1)).toEqual({ secret: 'abc', password: 'rails and rivets', second: '123456' });
});
