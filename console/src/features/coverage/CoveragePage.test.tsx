import { screen, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, show, where } from '../../testing-dom';
import { CoveragePage } from './CoveragePage';

const REPORT = {
  from: '2026-05-01T00:00:00Z',
  to: '2026-05-01T03:00:00Z',
  zone: 'UTC',
  starts_ms: [0, 1, 2].map((hour) => Date.parse('2026-05-01T00:00:00Z') + hour * 3_600_000),
  devices: [
    {
      device: 'tower',
      name: 'Water tower',
      interval_s: 60,
      expected: 180,
      received: 90,
      expected_each: [60, 60, 60],
      received_each: [60, 30, 0],
      lost_each: [0, 7, 0],
      messages: 90,
      refused: 2,
      repeated: 3,
      late: 4,
      oldest_s: 7200,
      gaps: [{ from: '2026-05-01T01:30:00Z', length_s: 5400, ended: 'open' }],
    },
  ],
  traffic: [{ protocol: 'MQTT', messages_each: [60, 30, 0], devices_each: [1, 1, 0] }],
};
const AT = '/sites/marlbeck/coverage?from=1777593600000&to=1777604400000';

test('a device is told with what was lost, late and refused, and its gaps', async () => {
  const asked = answering({ 'GET /sites/marlbeck/coverage': REPORT });
  show(<CoveragePage />, { at: AT });
  const tower = within(await screen.findByRole('region', { name: 'Water tower' }));
  expect(
    tower.getByText(/50\s% of 180 · 7 lost on the way · 3 came again · 4 late, up to 2 h · 2 refused/),
  ).toBeTruthy();
  expect(tower.getByRole('img', { name: '90 of 180 reports came' })).toBeTruthy();
  press('Gaps of Water tower');
  expect(tower.getByText('it goes on')).toBeTruthy();
  expect(
    screen.getByText(/From 2026-05-01 00:00 to 2026-05-01 03:00, 50\s% of what was expected came/),
  ).toBeTruthy();
  expect(within(screen.getByRole('region', { name: 'Messages' })).getByText('90')).toBeTruthy();
  expect(asked[0]?.path).toContain('from=1777593600&to=1777604400&zone=UTC&by=hour');
});

test('a month is in the address, and by day if it is long', async () => {
  const asked = answering({ 'GET /sites/marlbeck/coverage': REPORT });
  show(<CoveragePage />, { at: '/sites/marlbeck/coverage?from=1767225600000&to=1777604400000' });
  await screen.findByRole('region', { name: 'Water tower' });
  expect(asked[0]?.path).toContain('by=day');
  press('The last day');
  const address = new URLSearchParams(where().split('?')[1]);
  expect(Number(address.get('to')) - Number(address.get('from'))).toBe(86_400_000);
});

test('more devices are on further pages', async () => {
  const span = 'from=1777593600&to=1777604400&zone=UTC&by=hour&limit=100';
  answering({
    [`GET /sites/marlbeck/coverage?${span}`]: { ...REPORT, next: 'tower' },
    [`GET /sites/marlbeck/coverage?${span}&after=tower`]: {
      ...REPORT,
      devices: REPORT.devices.map((one) => ({ ...one, device: 'shed', name: 'Shed' })),
    },
  });
  show(<CoveragePage />, { at: AT });
  await screen.findByRole('region', { name: 'Water tower' });
  press('More devices');
  await screen.findByRole('region', { name: 'Shed' });
  press('Devices before');
  await screen.findByRole('region', { name: 'Water tower' });
});
