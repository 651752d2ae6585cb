import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, Refused, show, type, where } from '../../testing-dom';
import { LogInPage } from './LogInPage';

const ME = { person: 'ann', is_administrator: true, expires_at: '2026-05-15T12:00:00Z', csrf: 'c' };

function logIn(answer: unknown, at = '/log-in') {
  const asked = answering({ 'GET /set-up': { needed: false }, 'POST /log-in': answer });
  show(<LogInPage />, { at, route: '/log-in' });
  type(/Name/, 'ann');
  type(/Password/, 'steam and brass');
  press('Log in');
  return asked;
}

test('one gets where one wanted to go', async () => {
  logIn(ME, '/log-in?back=%2Fsites%2Fmarlbeck%2Fcharts');
  await waitFor(() => expect(where()).toBe('/sites/marlbeck/charts'));
});

test.each(['//elsewhere.example', 'https://elsewhere.example'])(
  'never to another place: %s',
  async (back) => {
    logIn(ME, `/log-in?back=${encodeURIComponent(back)}`);
    await waitFor(() => expect(where()).toBe('/'));
  },
);

test('a wrong password is told, and no code is asked for', async () => {
  logIn(new Refused(401, 'wrong-log-in'));
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
  expect(screen.queryByLabelText(/second factor/)).toBeNull();
});

test('the second factor is asked for when it is needed, and a wrong one is told', async () => {
  const seconds: (string | undefined)[] = [];
  logIn(({ second }: { second?: string }) => {
    seconds.push(second);
    if (second === undefined) return new Refused(401, 'second-factor-needed');
    return second === '123456' ? ME : new Refused(401, 'wrong-second-factor');
  });
  await screen.findByLabelText(/Code of your second factor/);
  expect(screen.queryByText(/That cannot be so/)).toBeNull();
  type(/Code of your second factor/, '000000');
  press('Log in');
  await screen.findByText(/That cannot be so/);
  type(/Code of your second factor/, '123456');
  press('Log in');
  await waitFor(() => expect(where()).toBe('/'));
  expect(seconds).toEqual([undefined, '000000', '123456']);
});
