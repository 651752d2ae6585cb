import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Commissioning } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, sent, show, type, where } from '../../testing-dom';
import { GoLiveDialog } from './GoLiveDialog';

const PATH = '/sites/marlbeck/devices/tower/commissioning';
const judged = (over: Partial<Commissioning> = {}): Commissioning =>
  ({
    device: 'tower',
    name: 'Water tower',
    is_ready: true,
    verdict: 'Ready.',
    trial_readings: 4200,
    ...over,
  }) as Commissioning;

const dialog = (over: Partial<Commissioning> = {}) => (
  <GoLiveDialog commissioning={judged(over)} path={PATH} onClose={() => undefined} />
);

test.each([
  [/Clear them/, 'clear'],
  [/Keep them/, 'keep'],
])('what becomes of trial readings is asked each time: %s', async (choice, readings) => {
  const asked = answering({ [`POST ${PATH}/live`]: {} });
  show(dialog());
  expect(screen.getByText(/4\s200 trial readings/)).toBeTruthy();
  expect(isDisabled('Go live')).toBe(true);
  fireEvent.click(screen.getByLabelText(choice));
  if (readings === 'clear') type(/Type its code tower/, 'tower');
  press('Go live');
  expect(await sent(asked, 'POST', `${PATH}/live`)).toEqual({ trial_readings: readings, anyway: false });
  await waitFor(() => expect(where()).toBe('/sites/marlbeck/devices/tower'));
});

test('one that is not ready goes live only on purpose', async () => {
  const asked = answering({ [`POST ${PATH}/live`]: 409 });
  show(dialog({ is_ready: false, verdict: 'Two steps are open.' }));
  expect(screen.getByText('Two steps are open.')).toBeTruthy();
  fireEvent.click(screen.getByLabelText(/Keep them/));
  press('Go live anyway');
  expect(await sent(asked, 'POST', `${PATH}/live`)).toMatchObject({ anyway: true });
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('readings are cleared only after the code of the device is typed', () => {
  answering({});
  show(dialog());
  fireEvent.click(screen.getByLabelText(/Clear them/));
  type(/Type its code tower/, 'towe');
  expect(isDisabled('Go live')).toBe(true);
  type(/Type its code tower/, 'tower');
  expect(isDisabled('Go live')).toBe(false);
});

test('without trial readings nothing has to be typed', () => {
  answering({});
  show(dialog({ trial_readings: 0 }));
  fireEvent.click(screen.getByLabelText(/Clear them/));
  expect(screen.queryByLabelText(/Type its code/)).toBeNull();
  expect(isDisabled('Go live')).toBe(false);
});
