import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, REFUSAL, sent, show, type, where } from '../../testing-dom';
import { LogInPage } from './LogInPage';

const logIn = () => {
  type(/Name/, 'ann');
  type(/Password/, 'a long one');
  press('Log in');
};

test.each([
  ['/log-in?back=%2Fsites%2Fmarlbeck%2Farrivals', '/sites/marlbeck/arrivals'],
  ['/log-in', '/'],
  ['/log-in?back=https%3A%2F%2Felsewhere.example%2F', '/'],
  ['/log-in?back=%2F%2Felsewhere.example', '/'],
])('from %s a log-in leads to %s', async (at, expected) => {
  const asked = answering({ 'GET /set-up': { needed: false }, 'POST /log-in': { name: 'ann', csrf: 'x' } });
  show(<LogInPage />, { at, route: '/log-in' });
  logIn();
  expect(await sent(asked, 'POST', '/log-in')).toEqual({ name: 'ann', password: 'a long one' });
  await waitFor(() => expect(where()).toBe(expected));
});

test('a wrong password is said, and the name stays', async () => {
  answering({ 'GET /set-up': { needed: false }, 'POST /log-in': 401 });
  show(<LogInPage />, { at: '/log-in', route: '/log-in' });
  logIn();
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>(/Name/).value).toBe('ann');
  expect(where()).toBe('/log-in');
});

test('a service that nobody owns yet is set up first', async () => {
  answering({ 'GET /set-up': { needed: true } });
  show(<LogInPage />, { at: '/log-in', route: '/log-in' });
  await waitFor(() => expect(where()).toBe('/set-up'));
});
