import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, REFUSAL, sent, show, where } from '../testing-dom';
import { RemovedNotice } from './RemovedNotice';

const TOWER = '/sites/marlbeck/devices/tower';
const notice = (removed: object | undefined) =>
  show(<RemovedNotice />, { at: '/sites/marlbeck?by=kind', state: removed && { removed } });

test.each([
  [{ device: 'tower' }, `${TOWER}/restore`, 'tower is removed.', TOWER],
  [
    { device: 'tower', signal: 'level' },
    `${TOWER}/signals/level/restore`,
    'tower/level is removed.',
    '/sites/marlbeck?by=kind',
  ],
])('%o comes back on request', async (removed, path, says, leads) => {
  const asked = answering({ [`POST ${path}`]: {} });
  notice(removed);
  expect(screen.getByRole('alert').textContent).toContain(says);
  press('Bring it back');
  await sent(asked, 'POST', path);
  await waitFor(() => expect(where()).toBe(leads));
  await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
});

test('closed, it is gone and nothing was asked', async () => {
  const asked = answering({});
  notice({ device: 'tower' });
  press('Close');
  await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
  expect([asked, where()]).toEqual([[], '/sites/marlbeck?by=kind']);
});

test('why it does not come back is said', async () => {
  answering({ [`POST ${TOWER}/restore`]: 409 });
  notice({ device: 'tower' });
  press('Bring it back');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('where nothing was removed there is none', () => {
  notice(undefined);
  expect(screen.queryByRole('alert')).toBeNull();
});
