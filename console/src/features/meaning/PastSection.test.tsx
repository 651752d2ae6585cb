import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Job } from '../../api/schema';
import { answering, isDisabled, press, sent, show, type } from '../../testing-dom';
import { PastSection } from './PastSection';

const SIGNAL = '/sites/marlbeck/devices/tower/signals/level';
const JOBS = '/sites/marlbeck/jobs';
const job = (more: Partial<Job>): Job => ({
  id: 5,
  signal: 'tower/level',
  from: '2026-04-01T00:00:00Z',
  to: '2026-05-01T00:00:00Z',
  made_by: 'ann',
  made_at: '2026-05-01T00:00:00Z',
  state: 'running',
  done: 1_500,
  ...more,
});
const base = (jobs: Job[]) => ({
  [`GET ${JOBS}`]: { items: jobs },
  [`GET ${SIGNAL}/meaning/versions`]: {
    items: [
      { version: 2, made_at: '2026-05-02T00:00:00Z', made_by: 'bob', meaning: { formula: 'a + b' } },
      { version: 1, made_at: '2026-05-01T00:00:00Z', made_by: 'ann' },
    ],
  },
});
const shown = (jobs: Job[], neededBy: string[] = []) => {
  const asked = answering({
    ...base(jobs),
    [`POST ${SIGNAL}/reconversions`]: job({}),
    [`DELETE ${JOBS}/5`]: job({}),
  });
  show(<PastSection device="tower" signal="level" neededBy={neededBy} />);
  return asked;
};

test('the past is made anew from a date of the site on', async () => {
  const asked = shown([]);
  await screen.findByText('bob');
  type('From', 'someday');
  expect(isDisabled('Make the past anew')).toBe(true);
  type('From', '2026-04-01');
  press('Make the past anew');
  expect(await sent(asked, 'POST', `${SIGNAL}/reconversions`)).toEqual({ from: '2026-04-01T00:00:00.000Z' });
});

test('what is under way can be stopped, and nothing else begins meanwhile', async () => {
  const asked = shown([job({ total: 3_000 })]);
  await screen.findByRole('progressbar', { name: 'Readings made anew' });
  expect(isDisabled('Make the past anew')).toBe(true);
  press('Stop');
  await sent(asked, 'DELETE', `${JOBS}/5`);
});

test.each([
  ['done', {}, /readings made anew/],
  ['failed', { detail: 'the formula broke' }, /left as it was: the formula broke/],
  ['cancelled', {}, /stopped; left as it was/],
] as const)('one that is %s says so', async (state, more, told) => {
  shown([job({ state, ended_at: '2026-05-01T01:00:00Z', ...more })]);
  expect(await screen.findByText(told)).toBeTruthy();
});

test('signals that need it are named, those of others are not', async () => {
  shown([job({ signal: 'shed/temp', state: 'done', ended_at: '2026-05-01T01:00:00Z' })], ['tower/volume']);
  expect(await screen.findByText(/and with it tower\/volume/)).toBeTruthy();
  await screen.findByText('bob');
  expect(screen.queryByText(/readings made anew/)).toBeNull();
});
