import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { answering, isDisabled, press, REFUSAL, sent, show, type } from '../testing-dom';
import { RemoveDialog } from './RemoveDialog';

const PATH = '/sites/marlbeck/devices/tower';

const dialog = (onRemoved = vi.fn()) => (
  <RemoveDialog path={PATH} what="device" code="tower" onClose={() => undefined} onRemoved={onRemoved} />
);

test.each([
  [{ readings: 0 }, 'It has no readings.'],
  [{ readings: 20_126 }, 'With it go 20\u202f126 readings. For a day it can be brought back.'],
  [
    { readings: 1_000_000, at_least: true },
    'With it go more than 1\u202f000\u202f000 readings. For a day it can be brought back.',
  ],
])('%o is said before anything goes', async (extent, says) => {
  answering({ [`GET ${PATH}/extent`]: extent });
  show(dialog());
  expect((await screen.findByText(/readings/)).textContent).toBe(says);
});

test('a site is gone for good', async () => {
  answering({ 'GET /sites/marlbeck/extent': { readings: 7 } });
  const close = () => undefined;
  show(<RemoveDialog path="/sites/marlbeck" what="site" code="marlbeck" onClose={close} onRemoved={close} />);
  expect((await screen.findByText(/readings/)).textContent).toContain('They cannot be brought back.');
});

test('only who types the code removes it', async () => {
  const asked = answering({
    [`GET ${PATH}/extent`]: { readings: 3 },
    [`DELETE ${PATH}?confirm=tower`]: { readings: 3 },
  });
  const onRemoved = vi.fn();
  show(dialog(onRemoved));
  await screen.findByLabelText(/Type its code/);
  expect(isDisabled('Remove')).toBe(true);
  type(/Type its code/, 'towe');
  expect(isDisabled('Remove')).toBe(true);
  type(/Type its code/, 'tower');
  press('Remove');
  await sent(asked, 'DELETE', `${PATH}?confirm=tower`);
  await vi.waitFor(() => expect(onRemoved).toHaveBeenCalled());
});

test('what keeps it from going is said', async () => {
  answering({ [`GET ${PATH}/extent`]: { readings: 3 }, [`DELETE ${PATH}?confirm=tower`]: 409 });
  const onRemoved = vi.fn();
  show(dialog(onRemoved));
  await screen.findByLabelText(/Type its code/);
  type(/Type its code/, 'tower');
  press('Remove');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(onRemoved).not.toHaveBeenCalled();
});
