import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Command } from '../../api/schema';
import { A_SITE } from '../../testing';
import { answering, press, sent, show } from '../../testing-dom';
import { CommandLines, life } from './CommandLines';

const PATH = '/sites/marlbeck/devices/points-7';
const command = (more: Partial<Command>): Command => ({
  id: 7,
  name: 'heater',
  arguments: { heater: true },
  stage: 'waiting',
  given_by: 'ann',
  given_at: '2026-05-01T12:00:00Z',
  expires_at: '2026-05-01T12:10:00Z',
  ...more,
});

test.each([
  [{}, 'given by ann'],
  [{ delivered_at: '2026-05-01T12:00:00.010Z' }, 'given by ann, delivered at once'],
  [{ delivered_at: '2026-05-01T12:00:02.500Z' }, 'given by ann, delivered after 2.5 s'],
  [
    { delivered_at: '2026-05-01T12:00:02.500Z', ended_at: '2026-05-01T12:01:00Z', stage: 'done' as const },
    'given by ann, delivered after 2.5 s, answered after 60 s',
  ],
  [{ ended_at: '2026-05-01T12:01:00Z', stage: 'unanswered' as const }, 'given by ann'],
])('the life of a command: %j', (more, told) => {
  expect(life(command(more))).toBe(told);
});

test('each says what became of it, in words', () => {
  answering({});
  const commands = [
    command({ id: 3, stage: 'refused', answer: 'locked', arguments: { position: 40 } }),
    command({ id: 2, stage: 'done', arguments: { heater: false } }),
    command({ id: 1, stage: 'withdrawn' }),
  ];
  show(<CommandLines path={PATH} commands={commands} />);
  const lines = screen.getAllByRole('listitem').map((line) => line.textContent);
  expect(lines[0]).toContain('heater position 40: refused: locked');
  expect(lines[1]).toContain('heater heater off: done');
  expect(lines[2]).toContain('withdrawn');
  expect(screen.queryByRole('button', { name: 'Withdraw' })).toBeNull();
});

test('one that is not over is withdrawn, by who may', async () => {
  const asked = answering({ [`DELETE ${PATH}/commands/7`]: command({ stage: 'withdrawn' }) });
  show(<CommandLines path={PATH} commands={[command({})]} />);
  press('Withdraw');
  await sent(asked, 'DELETE', `${PATH}/commands/7`);
});

test('a viewer withdraws nothing', () => {
  answering({});
  const site = { ...A_SITE, access: { role: 'viewer' as const, may: ['look' as const] } };
  show(<CommandLines path={PATH} commands={[command({})]} />, { site });
  expect(screen.queryByRole('button', { name: 'Withdraw' })).toBeNull();
});

test('where nothing was told there is nothing', () => {
  answering({});
  show(<CommandLines path={PATH} commands={[]} />);
  expect(screen.queryByText('What it was told')).toBeNull();
});
