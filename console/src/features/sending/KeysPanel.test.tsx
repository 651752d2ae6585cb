import { fireEvent, screen, within } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Key } from '../../api/schema';
import { answering, isDisabled, press, sent, show, type } from '../../testing-dom';
import { KeysPanel } from './KeysPanel';

const KEYS = '/sites/marlbeck/devices/tower/keys';
const key = (over: Partial<Key>): Key => ({
  id: 1,
  hint: 'ab12',
  grants: ['send'],
  note: '',
  created_at: '2026-05-01T00:00:00Z',
  ...over,
});
const ISSUED = {
  ...key({ id: 9, hint: 'zz99' }),
  key: 'a-new-secret',
  address: 'http://lantern.example/in/a-new-secret',
};

const open = (items: Key[], more = {}, onIssued = vi.fn()) => {
  const asked = answering({ [`GET ${KEYS}`]: { items }, ...more });
  show(<KeysPanel device="tower" onIssued={onIssued} />);
  return { asked, onIssued };
};

test('each key says what it is for, how it is used and until when', async () => {
  open([
    key({
      hint: 'ab12',
      grants: ['send', 'read'],
      note: 'pump house',
      last_used_at: '2026-05-01T12:00:00Z',
      last_used_from: '192.0.2.7',
    }),
    key({ id: 2, hint: 'cd34', revoked_at: '2026-05-02T00:00:00Z' }),
    key({ id: 3, hint: 'ef56', expires_at: '2020-01-01T00:00:00Z' }),
  ]);
  await screen.findByText('…ab12');
  const rows = screen.getAllByRole('row').slice(1);
  expect(rows.map((row) => within(row).getAllByRole('cell')[4]?.textContent)).toEqual([
    'in use',
    expect.stringContaining('revoked'),
    expect.stringContaining('ended'),
  ]);
  const [first, revoked] = rows;
  expect(first?.textContent).toContain('send, read');
  expect(first?.textContent).toContain('from 192.0.2.7');
  expect(revoked && within(revoked).queryAllByRole('button')).toEqual([]);
});

test('a key is issued for what it may do, and shown once', async () => {
  const { asked, onIssued } = open([], { [`POST ${KEYS}`]: ISSUED });
  press('Issue a key');
  fireEvent.click(screen.getByLabelText('Send: deliver readings'));
  expect(isDisabled('Issue it')).toBe(true);
  fireEvent.click(screen.getByLabelText('Read: read back what the site has'));
  type('Note', 'wall display');
  type('Ends', 'next year');
  expect(isDisabled('Issue it')).toBe(true);
  type('Ends', '2027-01-01 08:00');
  press('Issue it');
  expect(await sent(asked, 'POST', KEYS)).toEqual({
    grants: ['read'],
    note: 'wall display',
    expires_at: '2027-01-01T08:00:00.000Z',
  });
  expect(await screen.findAllByText(/a-new-secret/)).not.toEqual([]);
  expect(onIssued).toHaveBeenCalled();
});

test('a key is revoked only after it was asked', async () => {
  const { asked } = open([key({ id: 7 })], { [`DELETE ${KEYS}/7`]: key({ id: 7 }) });
  fireEvent.click(await screen.findByLabelText('Revoke key ending in ab12'));
  expect(asked.some(({ method }) => method === 'DELETE')).toBe(false);
  press(/^Revoke/);
  await sent(asked, 'DELETE', `${KEYS}/7`);
});

test('a key is replaced beside the old one', async () => {
  const { asked, onIssued } = open([key({ id: 7 })], { [`POST ${KEYS}/7/replace`]: ISSUED });
  fireEvent.click(await screen.findByLabelText('Replace key ending in ab12'));
  press('Replace it');
  expect(await sent(asked, 'POST', `${KEYS}/7/replace`)).toEqual({ overlap_s: 604_800 });
  await vi.waitFor(() => expect(onIssued).toHaveBeenCalled());
});
