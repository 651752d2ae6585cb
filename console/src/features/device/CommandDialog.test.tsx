import { fireEvent, screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { CommandDeclaration } from '../../api/schema';
import { choose, isDisabled, press, show, type } from '../../testing-dom';
import { CommandDialog } from './CommandDialog';

const open = (command?: CommandDeclaration, more: { onRemove?: () => void; error?: unknown } = {}) => {
  const onSave = vi.fn();
  show(
    <CommandDialog
      command={command}
      error={more.error ?? null}
      saving={false}
      onSave={onSave}
      onClose={() => undefined}
      onRemove={more.onRemove}
    />,
  );
  return onSave;
};

test('a command is declared with arguments and their limits', async () => {
  const onSave = open();
  type(/^Command/, 'heater');
  type('Name of the command', 'Rail heater');
  type(/Seconds until an answer/, '2,5');
  press('Add an argument');
  type(/Argument name/, 'minutes');
  type('Least', '1');
  type('Most', '60');
  press('Save');
  expect(onSave).toHaveBeenCalledWith({
    name: 'heater',
    title: 'Rail heater',
    timeout_s: 2.5,
    standing: false,
    arguments: [{ name: 'minutes', type: 'number', low: 1, high: 60 }],
  });
  await choose('Type', 'text');
  type(/What it may be/, 'main,loop');
  press('Save');
  expect(onSave).toHaveBeenLastCalledWith(
    expect.objectContaining({ arguments: [{ name: 'minutes', type: 'text', choices: ['main', 'loop'] }] }),
  );
});

test('what is no number is never dropped on the way', () => {
  const onSave = open({ name: 'heater', arguments: [{ name: 'minutes', type: 'number' }] });
  type('Most', '1,2,3');
  expect(isDisabled('Save')).toBe(true);
  type('Most', '60');
  type(/Seconds until an answer/, 'soon');
  expect(isDisabled('Save')).toBe(true);
  expect(onSave).not.toHaveBeenCalled();
});

test('an argument can be taken away, and the whole command removed', () => {
  const onRemove = vi.fn();
  const onSave = open(
    { name: 'heater', standing: true, arguments: [{ name: 'minutes', type: 'number' }] },
    { onRemove },
  );
  expect(screen.getByRole<HTMLInputElement>('textbox', { name: /^Command/ }).disabled).toBe(true);
  press('Take away');
  press('Save');
  expect(onSave).toHaveBeenCalledWith(expect.objectContaining({ standing: true, arguments: [] }));
  fireEvent.click(screen.getByText('Remove it'));
  expect(onRemove).toHaveBeenCalled();
});
