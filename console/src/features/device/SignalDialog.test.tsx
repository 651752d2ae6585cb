import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Signal } from '../../api/schema';
import { answering, choose, isDisabled, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { SignalDialog } from './SignalDialog';

const PATH = '/sites/marlbeck/devices/tower/signals';
const LEVEL: Signal = {
  code: 'level',
  name: 'Water level',
  note: '',
  type: 'number',
  unit: 'm',
  symbol: 'm',
  low: 0,
  high: 3.5,
  reserved: false,
};

test('a signal is declared with what was said of it', async () => {
  const asked = answering({ [`POST ${PATH}`]: LEVEL });
  const onClose = vi.fn();
  show(<SignalDialog path={PATH} onClose={onClose} />);
  type(/Signal code/, 'level');
  type('Lowest possible', '0,5');
  type('Expected every (s)', '3600');
  press(/Declare|Save|Add/);
  expect(await sent(asked, 'POST', PATH)).toEqual({
    code: 'level',
    type: 'number',
    note: '',
    low: 0.5,
    high: null,
    interval_s: 3600,
    reserved: false,
    role: null,
  });
  await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
});

test('what is no number cannot be sent', () => {
  answering({});
  show(<SignalDialog path={PATH} signal={LEVEL} onClose={() => undefined} />);
  expect(isDisabled(/Save/)).toBe(false);
  type('Highest possible', '3,5,1');
  expect(isDisabled(/Save/)).toBe(true);
  expect(screen.getByText('This is no number')).toBeTruthy();
});

test('a flag has no unit and no limits', async () => {
  const asked = answering({ [`PATCH ${PATH}/level`]: LEVEL });
  show(<SignalDialog path={PATH} signal={LEVEL} onClose={() => undefined} />);
  await choose('Type', 'flag');
  expect(screen.queryByLabelText('Lowest possible')).toBeNull();
  press(/Save/);
  expect(await sent(asked, 'PATCH', `${PATH}/level`)).toMatchObject({
    type: 'flag',
    unit: null,
    low: null,
    high: null,
  });
});

test('a refusal is said, and the form stays', async () => {
  answering({ [`PATCH ${PATH}/level`]: 422 });
  const onClose = vi.fn();
  show(<SignalDialog path={PATH} signal={LEVEL} onClose={onClose} />);
  press(/Save/);
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(onClose).not.toHaveBeenCalled();
});
