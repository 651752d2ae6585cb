import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { A_SITE } from '../../testing';
import { answering, choose, press, sent, show, type } from '../../testing-dom';
import { PeoplePage } from './PeoplePage';

const PEOPLE = '/sites/marlbeck/people';
const INVITATIONS = '/sites/marlbeck/invitations';
const MEMBERS = {
  items: [
    { name: 'bob', role: 'operator', since: '2026-05-01T12:00:00Z' },
    { name: 'vera', role: 'viewer', since: '2026-05-02T12:00:00Z' },
  ],
};
const INVITATION = {
  id: 4,
  for_whom: 'Nora, fells',
  role: 'viewer',
  is_administrator: false,
  invited_by: 'ann',
  created_at: '2026-05-01T12:00:00Z',
  expires_at: '2026-05-08T12:00:00Z',
};
const MADE = {
  address: 'https://lantern.example/join#abc123',
  expires_at: '2026-05-08T12:00:00Z',
  invitation: INVITATION,
};

const standing = (may: (typeof A_SITE)['access']['may']) => ({
  site: { ...A_SITE, access: { role: 'operator' as const, may } },
});

test('an owner gives another role and takes one away', async () => {
  const asked = answering({
    [`GET ${PEOPLE}`]: MEMBERS,
    [`GET ${INVITATIONS}`]: { items: [] },
    [`PUT ${PEOPLE}/vera`]: {},
    [`DELETE ${PEOPLE}/bob`]: {},
  });
  show(<PeoplePage />);
  await screen.findByText('bob');
  await choose('Role of vera', 'Operator');
  expect(await sent(asked, 'PUT', `${PEOPLE}/vera`)).toEqual({ role: 'operator' });
  press('Take the role of bob away');
  await sent(asked, 'DELETE', `${PEOPLE}/bob`);
});

test('who may not change people sees who is there, and nothing to press', async () => {
  answering({ [`GET ${PEOPLE}`]: MEMBERS });
  show(<PeoplePage />, standing(['look', 'record']));
  await screen.findByText('bob');
  expect(screen.getByText('Operator')).toBeTruthy();
  expect(screen.queryAllByRole('button')).toEqual([]);
});

test('an invitation gives an address that is shown once, as text and as a picture', async () => {
  const asked = answering({
    [`GET ${PEOPLE}`]: MEMBERS,
    [`GET ${INVITATIONS}`]: { items: [] },
    [`POST ${INVITATIONS}`]: MADE,
  });
  show(<PeoplePage />);
  await screen.findByText('bob');
  press('Invite somebody');
  type(/Who it is for/, 'Nora, fells');
  await choose('Role', /Operator/);
  press('Make the address');
  expect(await sent(asked, 'POST', INVITATIONS)).toEqual({
    for_whom: 'Nora, fells',
    role: 'operator',
    days: 7,
  });
  expect((await screen.findByLabelText('the one-time address')).textContent).toBe(MADE.address);
  expect(screen.getByRole('img', { name: 'The one-time address as a QR code' })).toBeTruthy();
  press('Done');
  await waitFor(() => expect(screen.queryByText(MADE.address)).toBeNull());
});

test('what waits is listed and withdrawn', async () => {
  const asked = answering({
    [`GET ${PEOPLE}`]: { items: [] },
    [`GET ${INVITATIONS}`]: { items: [INVITATION] },
    [`DELETE ${INVITATIONS}/4`]: {},
  });
  show(<PeoplePage />);
  expect(await screen.findByText('Nobody yet')).toBeTruthy();
  expect(await screen.findByText('Nora, fells')).toBeTruthy();
  press('Withdraw the invitation for Nora, fells');
  await sent(asked, 'DELETE', `${INVITATIONS}/4`);
});

test('a refusal is told', async () => {
  answering({
    [`GET ${PEOPLE}`]: MEMBERS,
    [`GET ${INVITATIONS}`]: { items: [] },
    [`DELETE ${PEOPLE}/bob`]: 409,
  });
  show(<PeoplePage />);
  await screen.findByText('bob');
  press('Take the role of bob away');
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
});
