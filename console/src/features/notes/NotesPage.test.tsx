import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import { aDevice, aSignal } from '../../testing';
import { answering, press, show } from '../../testing-dom';
import { NotesPage } from './NotesPage';

const NOTES = '/sites/marlbeck/notes';
const note = (id: number, about: string, text: string, to?: string) => ({
  id,
  about,
  from: '2026-05-03T08:00:00Z',
  ...(to === undefined ? {} : { to }),
  text,
  written_by: 'ann',
  written_at: '2026-05-03T08:00:00Z',
});
const NOW = {
  items: [aDevice({ device: 'tower', name: 'Water tower', signals: [aSignal({ signal: 'level' })] })],
};

test('notes lead to the history at their time', async () => {
  const items = [note(2, 'tower/level', 'Float stuck', '2026-05-05T08:00:00Z'), note(1, '', 'Season opens')];
  answering({ [`GET ${NOTES}`]: { items }, 'GET /sites/marlbeck/now': NOW });
  show(<NotesPage />);
  const link = await screen.findByRole('link', { name: 'Water tower: Level' });
  expect(link.getAttribute('href')).toBe(
    '/sites/marlbeck/charts?signals=tower%2Flevel&from=1777773600000&to=1777989600000',
  );
  expect(screen.getByText('The whole site')).toBeTruthy();
  press('Change note 2');
  expect(screen.getByLabelText<HTMLTextAreaElement>(/What happened/).value).toBe('Float stuck');
});

test('pages go back and forth', async () => {
  answering({
    [`GET ${NOTES}?limit=50`]: { items: [note(2, '', 'newer')], next: '7.2' },
    [`GET ${NOTES}?limit=50&after=7.2`]: { items: [note(1, '', 'older')] },
    'GET /sites/marlbeck/now': NOW,
  });
  show(<NotesPage />);
  await screen.findByText('newer');
  press('Earlier notes');
  await screen.findByText('older');
  press('Later notes');
  await screen.findByText('newer');
});

test('where there are none it is said what they are for', async () => {
  answering({ [`GET ${NOTES}`]: { items: [] }, 'GET /sites/marlbeck/now': NOW });
  show(<NotesPage />);
  expect(await screen.findByText('No notes yet')).toBeTruthy();
  press('Write a note');
  expect(screen.getByLabelText(/What happened/)).toBeTruthy();
});
