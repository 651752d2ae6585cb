import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, Refused, show, type as typing } from '../../testing-dom';
import { CalledPage } from './CalledPage';
import { CalloutPage } from './CalloutPage';
import { CalloutsPage } from './CalloutsPage';
import { RosterPage } from './RosterPage';
import { RostersPage } from './RostersPage';

const ROSTERS = '/sites/marlbeck/rosters';
const CALLOUTS = '/sites/marlbeck/callouts';

const ROSTER = {
  code: 'duty',
  roster: { name: 'Duty', least: 'high', order: ['Ann', 'Ben'], pass_on_min: 5, rounds: 2 },
  on_duty: ['Ann', 'Ben'],
  troubles: ['There is nobody of the name Ben.'],
  made_by: 'ann',
  made_at: '2026-05-01T12:00:00Z',
};

const CALLOUT = {
  id: 7,
  roster: 'duty',
  callee: 'Ann',
  way: 'mail',
  address: 'ann@railway.example',
  sort: 'call',
  subject: 'High: Fridge is warm',
  state: 'uncertain',
  attempts: 1,
  made_at: '2026-05-01T12:00:00Z',
};

const alarm = (state: string, over: object = {}) => ({
  id: 12,
  watch: 'warm',
  name: 'Fridge is warm',
  severity: 'high',
  state,
  device: 'fridge',
  signal: 'temp',
  raised_at: '2026-05-01T12:00:00Z',
  recorded_at: '2026-05-01T12:00:00Z',
  is_silent: false,
  is_found: false,
  ...over,
});

test('a roster says who is called now and what is in the way', async () => {
  answering({ [`GET ${ROSTERS}`]: { items: [ROSTER] } });
  show(<RostersPage />);
  expect(await screen.findByText('Called now: Ann, then Ben.')).toBeTruthy();
  expect(screen.getByText('There is nobody of the name Ben.')).toBeTruthy();
  expect(screen.getByText(/The next one after 5 min, 2 times through/)).toBeTruthy();
});

test('a roster is made of people and addresses that are typed', async () => {
  const asked = answering({
    'GET /sites/marlbeck/people': { items: [{ name: 'Ann', role: 'operator' }] },
    [`GET ${ROSTERS}`]: { items: [] },
    [`POST ${ROSTERS}`]: ROSTER,
  });
  show(<RosterPage />);
  expect(screen.getByRole('button', { name: 'Keep it' })).toHaveProperty('disabled', true);
  typing(/^Name/, 'Duty');
  for (const who of ['Ann', '+44 1632 960001']) {
    const field = screen.getByLabelText('Called one after the other');
    fireEvent.change(field, { target: { value: who } });
    fireEvent.keyDown(field, { key: 'Enter' });
  }
  press('Add hours');
  press('Keep it');
  await waitFor(() => expect(asked.some(({ method }) => method === 'POST')).toBe(true));
  expect(asked.find(({ method }) => method === 'POST')?.body).toMatchObject({
    roster: {
      name: 'Duty',
      least: 'medium',
      order: ['Ann', '+44 1632 960001'],
      turns: [{ hours: { from: '18:00', to: '08:00' }, order: [] }],
    },
  });
});

test('a test shows the conversation with the server', async () => {
  const attempts = [
    { began_at: '2026-05-01T12:00:01Z', outcome: 'refused', said: '< 550 nobody of that name' },
  ];
  const sent = [{ callout: { ...CALLOUT, state: 'failed' }, text: 'A test', attempts, alarms: [] }];
  answering({
    'GET /sites/marlbeck/people': { items: [] },
    [`GET ${ROSTERS}`]: { items: [ROSTER] },
    [`POST ${ROSTERS}/duty/test`]: sent,
  });
  show(<RosterPage />, { route: '/:roster', at: '/duty' });
  const field = await screen.findByLabelText('Send a message to');
  fireEvent.change(field, { target: { value: 'Ann' } });
  fireEvent.keyDown(field, { key: 'Enter' });
  press('Send it');
  expect(await screen.findByText('< 550 nobody of that name')).toBeTruthy();
  expect(screen.getByText('not sent')).toBeTruthy();
});

test('each message is listed with how far it is, and shows its attempts', async () => {
  const attempts = [{ began_at: '2026-05-01T12:00:01Z', outcome: 'uncertain', said: '> DATA' }];
  answering({
    [`GET ${CALLOUTS}`]: { items: [CALLOUT] },
    [`GET ${CALLOUTS}/7`]: { callout: CALLOUT, text: 'Fridge is warm', attempts, alarms: [12] },
  });
  show(<CalloutsPage />);
  expect(await screen.findByText('may have been sent')).toBeTruthy();
  expect(screen.getByRole('link', { name: 'High: Fridge is warm' })).toBeTruthy();
  show(<CalloutPage />, { route: '/:callout', at: '/7' });
  expect(await screen.findByText('> DATA')).toBeTruthy();
  expect(screen.getByRole('link', { name: 'Alarm 12' })).toBeTruthy();
});

test('opening the address of a message changes nothing; one press acknowledges', async () => {
  const called = { callee: 'Ann', site: 'Marlbeck', zone: 'UTC' };
  const asked = answering({
    'POST /called-for': { ...called, alarms: [alarm('unacknowledged')] },
    'POST /called-for/acknowledge': {
      ...called,
      alarms: [alarm('acknowledged', { acknowledged_by: 'Ann' })],
    },
  });
  show(<CalledPage />, { route: '/acknowledge', at: '/acknowledge#abc' });
  expect(await screen.findByText('Ann, you are called')).toBeTruthy();
  expect(asked).toHaveLength(1);
  press('I know, and act on it');
  expect(await screen.findByText('Somebody knows')).toBeTruthy();
  expect(asked.at(-1)?.body).toEqual({ secret: 'abc' });
  expect(screen.getByText(/Ann knows/)).toBeTruthy();
  expect(screen.queryByRole('button')).toBeNull();
});

test('an address that was used says so', async () => {
  answering({ 'POST /called-for': new Refused(404, 'no-such-call') });
  show(<CalledPage />, { route: '/acknowledge', at: '/acknowledge#abc' });
  expect(await screen.findByText('This address acknowledges nothing')).toBeTruthy();
});
