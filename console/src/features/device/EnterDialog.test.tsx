import { A_SITE } from '../../testing';
import { expect, test, vi } from 'vitest';
import type { Signal } from '../../api/schema';
import { answering, choose, isDisabled, press, sent, show, type } from '../../testing-dom';
import { EnterDialog } from './EnterDialog';

const PATH = '/sites/marlbeck/devices/tower/signals/x';
const signal = (over: Partial<Signal>): Signal => ({
  code: 'x',
  name: 'Level',
  note: '',
  type: 'number',
  symbol: 'm',
  reserved: false,
  ...over,
});

test.each([
  ['a number with a comma', signal({}), /Value in m/, '2,5', 2.5],
  ['a text', signal({ type: 'text', symbol: '' }), /^Value/, 'calm', 'calm'],
  ['a position', signal({ type: 'position', symbol: '' }), /^Value/, '54.5,-2.25', '54.5,-2.25'],
])('%s is entered', async (_, of, label, typed, value) => {
  const asked = answering({ [`POST ${PATH}/readings`]: {} });
  const onClose = vi.fn();
  show(<EnterDialog path={PATH} signal={of} onClose={onClose} />);
  type(label, typed);
  type('Note', 'read off the gauge');
  press('Enter it');
  expect(await sent(asked, 'POST', `${PATH}/readings`)).toEqual({ value, note: 'read off the gauge' });
  await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
});

test('a flag is chosen', async () => {
  const asked = answering({ [`POST ${PATH}/readings`]: {} });
  show(<EnterDialog path={PATH} signal={signal({ type: 'flag', symbol: '' })} onClose={() => undefined} />);
  await choose('Value', 'no');
  press('Enter it');
  expect(await sent(asked, 'POST', `${PATH}/readings`)).toMatchObject({ value: false });
});

test('a time is of the site, and one that is none cannot be sent', async () => {
  const asked = answering({ [`POST ${PATH}/readings`]: {} });
  show(<EnterDialog path={PATH} signal={signal({})} onClose={() => undefined} />, {
    site: { ...A_SITE, zone: 'Europe/London' },
  });
  expect(isDisabled('Enter it')).toBe(true);
  type(/Value in m/, '2');
  type('When', 'at noon');
  expect(isDisabled('Enter it')).toBe(true);
  type('When', '2026-05-01 14:00');
  press('Enter it');
  expect(await sent(asked, 'POST', `${PATH}/readings`)).toMatchObject({ at: '2026-05-01T13:00:00.000Z' });
});
