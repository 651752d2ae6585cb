import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Kind, KindDescription } from '../../api/schema';
import { answering, isDisabled, press, show, type } from '../../testing-dom';
import { KindForm } from './KindForm';

const SHED = {
  name: 'Shed sensor',
  code: 'shed-sensor',
  note: 'on the wall',
  interval_s: 60,
  signals: [
    {
      code: 'temp',
      name: 'Temperature',
      type: 'number',
      unit: 'Cel',
      meaning: { screen: { possible: { low: -40 } } },
    },
    { code: 'door', type: 'flag' },
  ],
  decoder: { form: 'list', separator: ';', fields: ['temp', 'door'] },
  late_after: 3,
} as unknown as KindDescription;

const open = (
  description?: KindDescription,
  answer: Promise<Kind> = Promise.resolve({ code: 'made' } as Kind),
) => {
  answering({ 'GET /units': { items: [] } });
  const save = vi.fn<(description: KindDescription) => Promise<Kind>>(() => answer);
  const onSaved = vi.fn();
  show(
    <KindForm
      submitLabel="Save it"
      save={save}
      onSaved={onSaved}
      {...(description === undefined ? {} : { description })}
    />,
  );
  return { save, onSaved };
};

test('what a form does not show stays as it is', async () => {
  const { save, onSaved } = open(SHED);
  type(/Name of the kind/, 'Shed sensor 2');
  press('Save it');
  await vi.waitFor(() => expect(onSaved.mock.calls[0]?.[0]).toEqual({ code: 'made' }));
  const saved = save.mock.calls[0]?.[0];
  expect(saved).toMatchObject({ name: 'Shed sensor 2', late_after: 3, interval_s: 60, note: 'on the wall' });
  expect(saved?.signals?.[0]).toMatchObject({
    code: 'temp',
    unit: 'Cel',
    meaning: { screen: { possible: { low: -40 } } },
  });
  expect(saved?.decoder).toEqual(SHED.decoder);
});

test('a new kind has its code asked for, an old one keeps it', () => {
  open();
  expect(screen.getByLabelText(/^Code/)).toBeTruthy();
});

test('a decoder that cannot be read is not sent', async () => {
  const { save } = open(SHED);
  const decoder = screen
    .getAllByRole('textbox')
    .find((box) => (box as HTMLTextAreaElement).value.includes('"separator"'));
  expect(decoder).toBeTruthy();
  type(decoder?.getAttribute('aria-label') ?? /Decoder|form of/i, '{"form": ');
  expect(isDisabled('Save it')).toBe(true);
  await Promise.resolve();
  expect(save).not.toHaveBeenCalled();
});

test('what the service says against it is shown, and what was typed stays', async () => {
  const { onSaved } = open(SHED, Promise.reject(new Error('no')));
  type(/Name of the kind/, 'Another');
  press('Save it');
  expect(await screen.findByRole('alert')).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>(/Name of the kind/).value).toBe('Another');
  expect(onSaved).not.toHaveBeenCalled();
});
