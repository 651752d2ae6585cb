import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Arrival, WaitingDevice } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, show } from '../../testing-dom';
import { ArrivalsPage } from './ArrivalsPage';

const SITE = '/sites/marlbeck';
const arrival = (name: string, over: Partial<Arrival> = {}): Arrival => ({
  device: 'tower',
  name,
  first_at: '2026-05-01T12:00:00Z',
  last: [{ at: '2026-05-01T12:00:00Z', value: 2.25 }],
  readings: 1200,
  type: 'number',
  ...over,
});

const open = (names: Arrival[], devices: WaitingDevice[] = [], more = {}) => {
  const asked = answering({
    [`GET ${SITE}/arrivals`]: { items: names },
    [`GET ${SITE}/arrivals?ignored=true`]: { items: [] },
    [`GET ${SITE}/waiting`]: { items: devices },
    'GET /me': { name: 'ann', role: 'operator', csrf: 'x' },
    ...more,
  });
  show(<ArrivalsPage />);
  return asked;
};

test('without arrivals it says what would come here', async () => {
  open([]);
  expect(await screen.findByText('No arrivals')).toBeTruthy();
});

test('a name waits with its values, digit by digit', async () => {
  open([
    arrival('levle'),
    arrival('gps', {
      type: 'position',
      last: [{ at: '2026-05-01T12:00:00Z', value: { latitude: 54.5, longitude: -2.25 } }],
    }),
  ]);
  await screen.findAllByText('levle');
  const text = screen
    .getAllByRole('row')
    .map((row) => row.textContent)
    .join('\n');
  expect(text).toContain('2.25');
  expect(text).toMatch(/54\.50°\sN 2\.25°\sW/);
  expect(text).toMatch(/1\s200/);
});

test('several are claimed at once, each as what it is like', async () => {
  const asked = open([arrival('levle', { like: 'level' }), arrival('hum'), arrival('temp')], [], {
    [`POST ${SITE}/devices/tower/arrivals/levle/claim`]: { signal: 'level', moved: 1, left: 0 },
    [`POST ${SITE}/devices/tower/arrivals/hum/claim`]: { signal: 'hum', moved: 1, left: 0 },
  });
  await screen.findAllByText('levle');
  expect(isDisabled('Claim the chosen')).toBe(true);
  fireEvent.click(screen.getByLabelText('Choose levle of tower'));
  fireEvent.click(screen.getByLabelText('Choose hum of tower'));
  press('Claim 2 chosen');
  const claims = () => asked.filter(({ path }) => path.endsWith('/claim'));
  await waitFor(() => expect(claims()).toHaveLength(2));
  expect(claims().map(({ path, body }) => [path.split('/')[6], body])).toEqual([
    ['levle', { into: 'level' }],
    ['hum', expect.objectContaining({ code: 'hum' })],
  ]);
});

test('all are chosen by one press', async () => {
  open([arrival('a'), arrival('b'), arrival('c')]);
  await screen.findAllByText('a');
  fireEvent.click(screen.getByLabelText('Choose all'));
  expect(screen.getByRole('button', { name: 'Claim 3 chosen' })).toBeTruthy();
});

test('a device that waits is claimed in a window of its own', async () => {
  const device = {
    code: 'bay-07',
    identity: '0a47',
    carrier: 'shed-gw',
    last_heard_at: '2026-05-01T12:00:00Z',
    names: [arrival('temp', { device: 'bay-07' })],
  } as WaitingDevice;
  open([], [device], { [`GET ${SITE}/kinds`]: { items: [] } });
  fireEvent.click(await screen.findByLabelText('Claim the device bay-07'));
  expect(within(screen.getByRole('dialog')).getByText('Claim the device bay-07')).toBeTruthy();
});

test('an answer that does not come is said', async () => {
  open([], [], { [`GET ${SITE}/waiting`]: 503 });
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
