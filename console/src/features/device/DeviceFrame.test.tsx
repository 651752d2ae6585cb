import { screen, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import { A_SITE, aDevice, aSignal } from '../../testing';
import { answering, show } from '../../testing-dom';
import { DeviceFrame } from './DeviceFrame';

const NOW = '/sites/marlbeck/devices/tower/now';
const AT = { at: '/devices/tower', route: '/devices/:device' };
const tower = (more: object = {}) => ({
  ...aDevice({ device: 'tower', name: 'Water tower', signals: [aSignal({ signal: 'level' })] }),
  ...more,
});
const parts = () => screen.getAllByRole('link').map((link) => link.textContent);

test('its parts have addresses of their own', async () => {
  answering({ [`GET ${NOW}`]: tower() });
  show(<DeviceFrame />, AT);
  await screen.findByRole('navigation', { name: 'Parts of this device' });
  expect(parts()).toEqual(['Now and history', 'Contacts', 'Signals', 'Sending', 'Set-up']);
});

test('a viewer has the parts to look at', async () => {
  answering({ [`GET ${NOW}`]: tower() });
  const site = { ...A_SITE, access: { role: 'viewer' as const, may: ['look' as const] } };
  show(<DeviceFrame />, { ...AT, site });
  await screen.findByRole('navigation', { name: 'Parts of this device' });
  expect(parts()).toEqual(['Now and history', 'Contacts', 'Signals']);
});

test('one in trial leads to its commissioning', async () => {
  answering({ [`GET ${NOW}`]: tower({ state: 'trial' }) });
  show(<DeviceFrame />, AT);
  const way = await screen.findByRole('link', { name: 'Commissioning' });
  expect(way.getAttribute('href')).toBe('/sites/marlbeck/devices/tower/commissioning');
});

test.each([
  [4_000, /Its clock is .* behind/],
  [-4_000, /Its clock is .* ahead/],
])('a clock that is off by %d s is told', async (offset, told) => {
  answering({ [`GET ${NOW}`]: tower({ clock_offset_s: offset }) });
  show(<DeviceFrame />, AT);
  expect(await screen.findByText(told)).toBeTruthy();
});

test('a clock that is right enough is not', async () => {
  answering({ [`GET ${NOW}`]: tower({ clock_offset_s: 20 }) });
  show(<DeviceFrame />, AT);
  await screen.findByRole('navigation', { name: 'Parts of this device' });
  expect(screen.queryByText(/Its clock is/)).toBeNull();
});

const alarm = (over: object) => ({
  id: 7,
  watch: 'high',
  name: 'Too high',
  severity: 'high',
  state: 'unacknowledged',
  device: 'tower',
  signal: 'level',
  raised_at: '2026-05-01T12:00:00Z',
  recorded_at: '2026-05-01T12:00:01Z',
  is_found: false,
  ...over,
});

test('its alarms stand above its parts, and lead to where they are answered', async () => {
  const items = [
    alarm({}),
    alarm({ id: 8, name: 'Nothing is heard', severity: 'urgent', signal: undefined }),
    alarm({ id: 9, name: 'Of another device', device: 'shed' }),
  ];
  answering({
    [`GET ${NOW}`]: tower(),
    'GET /sites/marlbeck/alarms?open=true&limit=500': { items },
  });
  show(<DeviceFrame />, AT);
  const section = await screen.findByRole('region', { name: 'Alarms of this device' });
  const links = within(section).getAllByRole('link');
  expect(links.map((link) => [link.textContent, link.getAttribute('href')])).toEqual([
    ['Nothing is heard', '/sites/marlbeck/alarms/8'],
    ['Too high', '/sites/marlbeck/alarms/7'],
  ]);
  expect(section.textContent).toContain('nobody knows yet');
});
