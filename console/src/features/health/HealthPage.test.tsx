import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, sent, show } from '../../testing-dom';
import { HealthPage } from './HealthPage';

const health = (clock: boolean) => ({
  status: clock ? 'ok' : 'failing',
  version: '0.1.0',
  now: '2026-05-01T12:00:00Z',
  parts: [
    {
      name: 'disk',
      is_well: true,
      detail: '1.0 GB are used, 9.0 GB are left: full in 9 days if it goes on like this.',
    },
    { name: 'clock', is_well: clock, detail: clock ? 'Right.' : 'It has leapt.' },
  ],
});
const me = (is_administrator: boolean) => ({ person: 'ann', is_administrator, expires_at: '' });

test('each part says how it is doing', async () => {
  answering({ 'GET /health': health(true), 'GET /me': me(true) });
  show(<HealthPage />);
  expect(await screen.findByText('Disk: well')).toBeTruthy();
  expect(screen.getByText(/full in 9 days/)).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'The clock is right' })).toBeNull();
});

test('an administrator confirms a clock that has leapt', async () => {
  const asked = answering({ 'GET /health': health(false), 'GET /me': me(true), 'POST /clock/confirm': {} });
  show(<HealthPage />);
  expect(await screen.findByText('Clock: not well')).toBeTruthy();
  await screen.findByRole('button', { name: 'The clock is right' });
  press('The clock is right');
  await sent(asked, 'POST', '/clock/confirm');
});

test('others only see it', async () => {
  answering({ 'GET /health': health(false), 'GET /me': me(false) });
  show(<HealthPage />);
  expect(await screen.findByText('Clock: not well')).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'The clock is right' })).toBeNull();
});
