import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Right } from '../api/schema';
import { A_SITE, aDevice, aSignal } from '../testing';
import { answering, show } from '../testing-dom';
import { NotesPage } from '../features/notes/NotesPage';
import { KindsPage } from '../features/kinds/KindsPage';
import { May } from './may';
import { TopStrip } from './TopStrip';

const as = (may: Right[]) => ({ site: { ...A_SITE, access: { role: 'viewer' as const, may } } });
const DEVICES = {
  items: [aDevice({ device: 'tower', name: 'Tower', signals: [aSignal({ signal: 'level' })] })],
};

test('what one may not do is not there', () => {
  show(
    <>
      <May right="remove">Remove</May>
      <May right="look">Look</May>
    </>,
    as(['look']),
  );
  expect(screen.queryByText('Remove')).toBeNull();
  expect(screen.getByText('Look')).toBeTruthy();
});

test('a viewer sees the places to look, not those to set up', () => {
  answering({ 'GET /me': { person: 'vera', is_administrator: false, expires_at: '' } });
  show(<TopStrip />, as(['look']));
  expect(screen.getByRole('link', { name: 'Charts' })).toBeTruthy();
  expect(screen.queryByRole('link', { name: /Arrivals/ })).toBeNull();
  expect(screen.queryByRole('link', { name: 'Set-up' })).toBeNull();
});

test('a viewer reads notes and writes none', async () => {
  const note = {
    id: 1,
    about: '',
    from: '2026-05-03T08:00:00Z',
    text: 'Season opens',
    written_by: 'ann',
    written_at: '2026-05-03T08:00:00Z',
  };
  answering({ 'GET /sites/marlbeck/notes': { items: [note] }, 'GET /sites/marlbeck/now': DEVICES });
  show(<NotesPage />, as(['look']));
  expect(await screen.findByText('Season opens')).toBeTruthy();
  expect(screen.queryByRole('button', { name: /note/i })).toBeNull();
  expect(screen.queryByRole('link', { name: 'Changes' })).toBeNull();
});

test('a viewer adds no kind', async () => {
  answering({ 'GET /sites/marlbeck/kinds': { items: [] } });
  show(<KindsPage />, as(['look']));
  await screen.findByText('No kinds yet');
  expect(screen.queryByRole('link', { name: /Add|Describe/ })).toBeNull();
});
