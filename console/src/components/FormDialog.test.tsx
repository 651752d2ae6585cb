import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { Problem } from '../api/problem';
import { FormDialog } from './FormDialog';

afterEach(cleanup);

function show(over: Partial<Parameters<typeof FormDialog>[0]> = {}) {
  const [onSubmit, onClose] = [vi.fn(), vi.fn()];
  render(
    <FormDialog
      title="Enter"
      submit="Enter it"
      onSubmit={onSubmit}
      onClose={onClose}
      isPending={false}
      error={null}
      {...over}
    >
      <input aria-label="Value" />
    </FormDialog>,
  );
  return { onSubmit, onClose };
}

test('its form is sent by key and by button, and given up', () => {
  const { onSubmit, onClose } = show();
  fireEvent.submit(screen.getByLabelText('Value'));
  expect(onSubmit).toHaveBeenCalledTimes(1);
  fireEvent.click(screen.getByRole('button', { name: 'Cancel' }));
  expect(onClose).toHaveBeenCalledTimes(1);
  expect(screen.getByRole('dialog', { name: 'Enter' })).toBeDefined();
});

test('what cannot be sent is not sent, by no way', () => {
  const { onSubmit } = show({ disabled: true });
  fireEvent.submit(screen.getByLabelText('Value'));
  expect(onSubmit).not.toHaveBeenCalled();
});

test('what went wrong is said with what to do', () => {
  show({ error: new Problem(422, 'invalid', 'It is no number.', 'Write a number.') });
  expect(screen.getByRole('alert').textContent).toContain('It is no number. Write a number.');
});
