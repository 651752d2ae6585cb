import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, REFUSAL, sent, show } from '../../testing-dom';
import { RemovedPanel } from './RemovedPanel';

const LIST = 'GET /sites/marlbeck/removed';
const AT = { at: '2026-05-01T12:00:00Z', until: '2026-05-02T12:00:00Z' };
const ITEMS = [
  { device: 'tower', name: 'Water tower', ...AT },
  { device: 'larder', signal: 'temp', name: 'Temperature', ...AT },
];

test.each([
  ['Bring tower back', '/sites/marlbeck/devices/tower/restore'],
  ['Bring larder/temp back', '/sites/marlbeck/devices/larder/signals/temp/restore'],
])('%s asks for just that', async (button, path) => {
  const asked = answering({ [LIST]: { items: ITEMS }, [`POST ${path}`]: {} });
  show(<RemovedPanel />);
  await screen.findByText('Water tower');
  expect(screen.getAllByText('2026-05-02 12:00:00').length).toBe(2);
  press(button);
  await sent(asked, 'POST', path);
  await waitFor(() => expect(asked.filter((one) => one.path.endsWith('/removed')).length).toBe(2));
});

test('what keeps it from coming back is said', async () => {
  answering({ [LIST]: { items: ITEMS }, 'POST /sites/marlbeck/devices/tower/restore': 409 });
  show(<RemovedPanel />);
  await screen.findByText('Water tower');
  press('Bring tower back');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('where nothing was removed there is nothing to see', async () => {
  const asked = answering({ [LIST]: { items: [] } });
  show(<RemovedPanel />);
  await sent(asked, 'GET', '/sites/marlbeck/removed');
  expect(screen.queryByText(/Removed within/)).toBeNull();
});
