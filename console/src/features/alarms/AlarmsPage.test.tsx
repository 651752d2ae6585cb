import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, show, type as typing } from '../../testing-dom';
import { AlarmPage } from './AlarmPage';
import { AlarmsPage } from './AlarmsPage';
import { WatchesPage } from './WatchesPage';
import { aDevice, aSignal } from '../../testing';

const ALARMS = '/sites/marlbeck/alarms';
const WATCHES = '/sites/marlbeck/watches';

const alarm = (id: number, name: string, state: string, severity = 'high') => ({
  id,
  watch: 'w',
  name,
  severity,
  state,
  device: 'fridge',
  signal: 'temp',
  value: 9.5,
  symbol: '°C',
  raised_at: '2026-05-01T12:00:00Z',
  recorded_at: '2026-05-01T12:00:00Z',
  is_silent: false,
  is_found: false,
});

test('those that wait are acknowledged together', async () => {
  const items = [
    alarm(1, 'Fridge is warm', 'unacknowledged'),
    alarm(2, 'Leak', 'returned'),
    alarm(3, 'Known', 'acknowledged'),
  ];
  const asked = answering({
    [`GET ${ALARMS}`]: { items },
    [`POST ${ALARMS}/1/answer`]: {},
    [`POST ${ALARMS}/2/answer`]: {},
  });
  show(<AlarmsPage />);
  expect(await screen.findByText('2 of 3 wait for somebody to say that they know.')).toBeTruthy();
  expect(screen.queryByLabelText('Choose alarm 3')).toBeNull();
  press('Choose all 2');
  press('Acknowledge 2');
  await waitFor(() => expect(asked.filter(({ method }) => method === 'POST')).toHaveLength(2));
  expect(asked.filter(({ method }) => method === 'POST').map(({ path, body }) => [path, body])).toEqual([
    [`${ALARMS}/1/answer`, { answer: 'acknowledge' }],
    [`${ALARMS}/2/answer`, { answer: 'acknowledge' }],
  ]);
});

test('a button calls at once, with what has happened', async () => {
  const help = { name: 'Help', when: { is: 'pressed' }, severity: 'urgent' };
  const asked = answering({
    [`GET ${ALARMS}`]: { items: [] },
    [`GET ${WATCHES}`]: {
      items: [{ code: 'help', watch: help, places: 1, holding: 0, made_by: 'ann', made_at: '' }],
    },
    [`POST ${WATCHES}/help/press`]: {},
  });
  show(<AlarmsPage />);
  fireEvent.click(await screen.findByRole('button', { name: 'Help' }));
  typing('What has happened, and where', 'Fire in the shed');
  press('Call now');
  await waitFor(() => expect(asked.some(({ method }) => method === 'POST')).toBe(true));
  const said = asked.find(({ method }) => method === 'POST');
  expect(said).toMatchObject({ path: `${WATCHES}/help/press`, body: { note: 'Fire in the shed' } });
});

test('when nothing is wrong the page says so', async () => {
  answering({ [`GET ${ALARMS}`]: { items: [] } });
  show(<AlarmsPage />);
  expect(await screen.findByText('Nothing is wrong')).toBeTruthy();
});

test('an alarm shows what to do and what happened, and is answered with a note', async () => {
  const found = {
    alarm: alarm(7, 'Fridge is warm', 'unacknowledged'),
    advice: 'Close the door.',
    steps: [{ at: '2026-05-01T12:00:00Z', step: 'raised' }],
  };
  const asked = answering({ [`GET ${ALARMS}/7`]: found, [`POST ${ALARMS}/7/answer`]: found });
  show(<AlarmPage />, { route: '/:alarm', at: '/7' });
  expect(await screen.findByText('Close the door.')).toBeTruthy();
  expect(screen.getByText('Raised', { selector: 'td' })).toBeTruthy();
  typing('What you say with it', 'on my way');
  press('Acknowledge');
  await waitFor(() => expect(asked.some(({ method }) => method === 'POST')).toBe(true));
  const said = asked.find(({ method }) => method === 'POST');
  expect(said?.body).toEqual({ answer: 'acknowledge', note: 'on my way' });
});

test('a watch is tried before it is kept', async () => {
  const tried = {
    from: '2026-04-17T12:00:00Z',
    to: '2026-05-01T12:00:00Z',
    readings: 1000,
    left_out: 0,
    places: [
      {
        device: 'fridge',
        signal: 'temp',
        count: 1,
        held_s: 600,
        longest_s: 600,
        occurrences: [{ from: '2026-04-20T12:00:00Z', to: '2026-04-20T12:10:00Z', value: 9.5 }],
      },
    ],
    rating: { per_day: 0.07, remarks: ['chattering'] },
  };
  const watch = {
    name: 'Fridge is warm',
    on: { device: 'fridge', signal: 'temp' },
    when: { is: 'above', limit: 8 },
  };
  const asked = answering({
    [`GET ${WATCHES}`]: {
      items: [{ code: 'warm', watch, places: 1, holding: 1, made_by: 'ann', made_at: '' }],
    },
    'GET /sites/marlbeck/now': {
      items: [aDevice({ device: 'fridge', name: 'Fridge', signals: [aSignal({ signal: 'temp' })] })],
    },
    [`POST ${WATCHES}/try`]: tried,
    [`PUT ${WATCHES}/warm`]: {},
  });
  show(<WatchesPage />);
  expect(await screen.findByText('1, wrong at 1')).toBeTruthy();
  press('Change warm');
  press('Try it over the last two weeks');
  expect(await screen.findByText(/1 alarm, 0.1 a day; the longest stood for 10 min/)).toBeTruthy();
  expect(screen.getByText(/give it a deadband or a delay/)).toBeTruthy();
  typing(/^Limit/, '9');
  press('Keep it');
  await waitFor(() => expect(asked.some(({ method }) => method === 'PUT')).toBe(true));
  expect(asked.find(({ method }) => method === 'PUT')?.body).toMatchObject({
    when: { is: 'above', limit: 9 },
  });
});
