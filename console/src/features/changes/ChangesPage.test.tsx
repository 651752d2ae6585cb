import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, sent, show, type } from '../../testing-dom';
import { ChangesPage } from './ChangesPage';

const CHANGES = '/sites/marlbeck/changes';
const line = (id: number, more: object = {}) => ({
  id,
  at: '2026-05-01T12:00:00Z',
  site: 'marlbeck',
  who: 'bob',
  way: 'console',
  from: '192.0.2.7',
  action: 'changed',
  object: 'devices/tower',
  differences: [{ field: 'interval_s', before: 30, after: 60 }],
  can_undo: true,
  ...more,
});

test('a change tells who, what, and what it was before', async () => {
  answering({ [`GET ${CHANGES}`]: { items: [line(7)] } });
  show(<ChangesPage />);
  expect(await screen.findByText('bob')).toBeTruthy();
  expect(screen.getByText('tower')).toBeTruthy();
  expect(screen.getByText('interval s')).toBeTruthy();
  expect(screen.getByText('30').tagName).toBe('DEL');
  expect(screen.getByText(/console, 192.0.2.7/)).toBeTruthy();
});

test('what was made as a whole is not told field by field', async () => {
  const made = line(8, { action: 'added', differences: [{ field: 'name', after: 'Shed' }], can_undo: false });
  answering({ [`GET ${CHANGES}`]: { items: [made] } });
  show(<ChangesPage />);
  await screen.findByText('bob');
  expect(screen.queryByText('name')).toBeNull();
  expect(screen.queryByRole('button', { name: /Undo/ })).toBeNull();
});

test('a change is undone, and what was changed since is said', async () => {
  const asked = answering({
    [`GET ${CHANGES}`]: { items: [line(7), line(6)] },
    [`POST ${CHANGES}/7/undo`]: line(9),
    [`POST ${CHANGES}/6/undo`]: 409,
  });
  show(<ChangesPage />);
  await screen.findAllByText('bob');
  press('Undo change 7');
  await sent(asked, 'POST', `${CHANGES}/7/undo`);
  press('Undo change 6');
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
});

test('one that was undone says by which', async () => {
  answering({ [`GET ${CHANGES}`]: { items: [line(7, { undone_by: 9, can_undo: false })] } });
  show(<ChangesPage />);
  expect(await screen.findByText('Undone by change 9.')).toBeTruthy();
});

test('words are searched, and pages go back and forth', async () => {
  const asked = answering({
    [`GET ${CHANGES}?limit=50`]: { items: [line(7)], next: '7' },
    [`GET ${CHANGES}?limit=50&after=7`]: { items: [line(6, { who: 'carol' })] },
    [`GET ${CHANGES}?limit=50&words=tank`]: { items: [] },
  });
  show(<ChangesPage />);
  await screen.findByText('bob');
  press('Earlier changes');
  await screen.findByText('carol');
  press('Later changes');
  await screen.findByText('bob');
  type('Search the changes', ' tank ');
  expect(await screen.findByText('Nothing was changed that fits.')).toBeTruthy();
  await waitFor(() => expect(asked.some(({ path }) => path.endsWith('words=tank'))).toBe(true));
});

test('those of one object, until all are wanted', async () => {
  const asked = answering({ [`GET ${CHANGES}`]: { items: [line(7)] } });
  show(<ChangesPage />, { at: '/?object=devices%2Ftower%2Fsignals%2Flevel' });
  await screen.findByText('bob');
  expect(asked.some(({ path }) => path.includes('object=devices%2Ftower%2Fsignals%2Flevel'))).toBe(true);
  press('Only tower/level: show all');
  await waitFor(() => expect(screen.queryByRole('button', { name: /show all/ })).toBeNull());
});
