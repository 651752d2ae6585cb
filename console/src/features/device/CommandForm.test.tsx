import { fireEvent, screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { CommandDeclaration } from '../../api/schema';
import { answering, choose, REFUSAL, sent, show, type } from '../../testing-dom';
import { CommandForm } from './CommandForm';

const PATH = '/sites/marlbeck/devices/points-7';
const GIVE = `${PATH}/commands`;
const HEATER: CommandDeclaration = {
  name: 'heater',
  title: 'Rail heater',
  timeout_s: 20,
  arguments: [
    { name: 'state', type: 'flag' },
    { name: 'way', type: 'text', choices: ['main', 'loop'] },
    { name: 'minutes', type: 'number', low: 1, high: 60 },
  ],
};

const open = (command = HEATER, answers = {}) => {
  const asked = answering({ [`POST ${GIVE}`]: { id: 1 }, ...answers });
  const onGiven = vi.fn();
  show(<CommandForm path={PATH} command={command} onGiven={onGiven} onEdit={() => undefined} />);
  return { asked, onGiven };
};

test('a command is given with its arguments', async () => {
  const { asked, onGiven } = open();
  expect(screen.getByText('answer within 20 s')).toBeTruthy();
  await choose(/state/, 'off');
  await choose(/way/, 'loop');
  type(/minutes/, '15');
  fireEvent.submit(screen.getByRole('form', { name: 'Rail heater' }));
  expect(await sent(asked, 'POST', GIVE)).toEqual({
    name: 'heater',
    arguments: { state: 'off', way: 'loop', minutes: '15' },
  });
  await vi.waitFor(() => expect(onGiven).toHaveBeenCalled());
});

test('one that stands says so', () => {
  open({ name: 'light', standing: true });
  expect(screen.getByText('stands until it can be delivered')).toBeTruthy();
});

test('a refusal is said', async () => {
  const { onGiven } = open({ name: 'light' }, { [`POST ${GIVE}`]: 422 });
  fireEvent.submit(screen.getByRole('form', { name: 'light' }));
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(onGiven).not.toHaveBeenCalled();
});
