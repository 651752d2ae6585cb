import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { MqttSession } from '../../api/schema';
import { answering, press, sent, show } from '../../testing-dom';
import { MqttSessionsPanel } from './MqttSessionsPanel';

const PATH = '/sites/marlbeck/mqtt-sessions';

const session = (client: string, more: Partial<MqttSession> = {}): MqttSession => ({
  client,
  connected: true,
  kept: true,
  subscriptions: 2,
  waiting: 0,
  waiting_bytes: 0,
  given_up: 0,
  ...more,
});

test('sessions say whose they are, how they stand and what waits', async () => {
  answering({
    [`GET ${PATH}?limit=50`]: {
      items: [
        session('tower-1', { device: 'tower' }),
        session('display', {
          key: 7,
          connected: false,
          ends_at: '2026-05-02T12:00:00Z',
          waiting: 12,
          given_up: 3,
        }),
      ],
    },
  });
  show(<MqttSessionsPanel />);
  expect(await screen.findByText('tower')).toBeTruthy();
  expect(screen.getByText('connected')).toBeTruthy();
  expect(screen.getByText('key 7 of the site')).toBeTruthy();
  expect(screen.getByText('away, ends 2026-05-02 12:00:00')).toBeTruthy();
  expect(screen.getByText('12, 3 given up')).toBeTruthy();
});

test('a session is ended, and further ones are a page on', async () => {
  const asked = answering({
    [`GET ${PATH}?limit=50`]: { items: [session('a/b')], next: 'a/b' },
    [`GET ${PATH}?limit=50&after=a%2Fb`]: { items: [session('c')] },
    [`DELETE ${PATH}/a%2Fb`]: {},
  });
  show(<MqttSessionsPanel />);
  await screen.findByText('a/b');
  press('End the session of a/b');
  await sent(asked, 'DELETE', `${PATH}/a%2Fb`);
  await waitFor(() =>
    expect(asked.filter((one) => one.path.startsWith(PATH) && one.method === 'GET').length).toBe(2),
  );
  press('Next');
  expect(await screen.findByText('c')).toBeTruthy();
  press('Previous');
  expect(await screen.findByText('a/b')).toBeTruthy();
});
