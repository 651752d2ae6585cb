import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, choose, press, sent, show, type } from '../../testing-dom';
import { AccountPage } from './AccountPage';

const ACCOUNT = {
  name: 'vera',
  is_administrator: false,
  decimal_mark: null,
  zone: null,
  addresses: ['vera@marlbeck.example'],
  recovery_codes: 0,
  sites: [{ code: 'marlbeck', name: 'Marlbeck', role: 'viewer' }],
};
const session = (id: number, more: object = {}) => ({
  id,
  kind: 'browser',
  name: 'Linux x86_64',
  created_at: '2026-05-01T12:00:00Z',
  last_from: '192.0.2.7',
  expires_at: '2026-05-15T12:00:00Z',
  is_this: false,
  ...more,
});
const BASE = {
  'GET /account': ACCOUNT,
  'GET /account/sessions': {
    items: [session(1, { is_this: true }), session(2, { kind: 'token', name: 'export' })],
  },
};

async function page(more: object = {}) {
  const asked = answering({ ...BASE, ...more });
  show(<AccountPage />);
  await screen.findByText('Your account');
  await screen.findByLabelText(/^Name/);
  return asked;
}

test('one changes how one is called, sees numbers and is reached', async () => {
  const asked = await page({ 'PATCH /account': ACCOUNT });
  await choose('Numbers are written', '1,5');
  type('Time zone', 'Europe/London');
  type('Where you can be reached', 'vera@marlbeck.example\n+44 1632 960001\n');
  press('Save');
  expect(await sent(asked, 'PATCH', '/account')).toEqual({
    name: 'vera',
    decimal_mark: 'comma',
    zone: 'Europe/London',
    addresses: ['vera@marlbeck.example', '+44 1632 960001'],
  });
});

test('log-ins are listed, all but this one can be ended', async () => {
  const asked = await page({ 'DELETE /account/sessions/2': {} });
  expect(await screen.findByText('(this one)')).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'End log-in 1' })).toBeNull();
  press('End log-in 2');
  await sent(asked, 'DELETE', '/account/sessions/2');
});

test('a token is made that may do less, and is shown once', async () => {
  const made = { token: 'secret-token', session: session(3, { kind: 'token', name: 'nightly' }) };
  const asked = await page({ 'POST /account/tokens': made });
  await screen.findByText('(this one)');
  press('Make a token for a program');
  type(/What it is for/, 'nightly');
  await choose('It opens', 'Marlbeck');
  press('Make the token');
  expect(await sent(asked, 'POST', '/account/tokens')).toEqual({
    name: 'nightly',
    days: 365,
    at_most: 'viewer',
    site: 'marlbeck',
  });
  expect((await screen.findByLabelText('the token')).textContent).toBe('secret-token');
});

test('a password is changed with the present one', async () => {
  const asked = await page({ 'PUT /account/password': {} });
  type(/Present password/, 'steam and brass');
  type(/New password/, 'rails and rivets');
  press('Change the password');
  expect(await sent(asked, 'PUT', '/account/password')).toEqual({
    old: 'steam and brass',
    new: 'rails and rivets',
  });
  expect(await screen.findByText('The password is changed.')).toBeTruthy();
});

test('a second factor is set up by its first code, and the recovery codes are shown once', async () => {
  const asked = await page({
    'POST /account/second-factor': { secret: 'GEZDGNBV', address: 'otpauth://totp/x?secret=GEZDGNBV' },
    'PUT /account/second-factor': { codes: ['aaaa', 'bbbb'] },
  });
  type(/Your password/, 'steam and brass');
  press('Set a second factor up');
  expect((await screen.findByLabelText('the secret')).textContent).toBe('GEZDGNBV');
  expect(screen.getByRole('img', { name: /as a QR code/ })).toBeTruthy();
  type(/The code it shows/, '123456');
  press('Begin');
  expect(await sent(asked, 'PUT', '/account/second-factor')).toEqual({ code: '123456' });
  expect((await screen.findByLabelText('the recovery codes')).textContent).toBe('aaaa\nbbbb');
  press('I have kept them');
  await waitFor(() => expect(screen.queryByLabelText('the recovery codes')).toBeNull());
});

test('a second factor is ended with the password', async () => {
  const on = { ...ACCOUNT, second_factor_since: '2026-05-01T12:00:00Z', recovery_codes: 9 };
  const asked = await page({ 'GET /account': on, 'POST /account/second-factor/end': {} });
  expect(screen.getByText(/9 recovery codes are left/)).toBeTruthy();
  type(/Your password/, 'steam and brass');
  press('End the second factor');
  expect(await sent(asked, 'POST', '/account/second-factor/end')).toEqual({ password: 'steam and brass' });
});

test('one leaves a site', async () => {
  const asked = await page({ 'DELETE /account/sites/marlbeck': {} });
  press('Leave Marlbeck');
  await sent(asked, 'DELETE', '/account/sites/marlbeck');
});
