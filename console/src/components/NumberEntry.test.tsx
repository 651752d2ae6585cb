import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { useState } from 'react';
import { afterEach, expect, test } from 'vitest';
import { NumberEntry } from './NumberEntry';

afterEach(cleanup);

function Form() {
  const [value, setValue] = useState('');
  return <NumberEntry label="Highest" value={value} onChange={setValue} helperText="In metres" />;
}

test.each([
  ['1,5', 'Read as 1.5', 'false'],
  ['1.5', 'In metres', 'false'],
  ['', 'In metres', 'false'],
  ['1.234,5', 'This is no number', 'true'],
])('%j says %j', (typed, said, isWrong) => {
  render(<Form />);
  const field = screen.getByLabelText('Highest');
  fireEvent.change(field, { target: { value: typed } });
  expect(screen.getByText(said)).toBeDefined();
  expect(field.getAttribute('aria-invalid')).toBe(isWrong);
  expect((field as HTMLInputElement).value).toBe(typed);
});
