import { cleanup, render, screen } from '@testing-library/react';
import { afterEach, expect, test } from 'vitest';
import type { Contact } from '../api/schema';
import { ContactLines } from './ContactLines';

afterEach(cleanup);

const contact = (over: Partial<Contact>): Contact => ({
  at: '2026-05-01T12:00:00Z',
  outcome: 'kept',
  protocol: 'HTTP POST',
  from: '127.0.0.1',
  bytes: 20,
  times: 1,
  kept: 1,
  ...over,
});

const refused = contact({
  outcome: 'refused',
  refused: [{ code: 'wrong-type', detail: '`level` is a number signal.', remedy: 'Send a number.' }],
} as Partial<Contact>);

test('a refusal says what was wrong, what to do, and its code', () => {
  render(<ContactLines contacts={[refused]} zone="UTC" />);
  expect(screen.getByText('level').tagName).toBe('CODE');
  expect(screen.getByText(/Send a number/).textContent).toContain('(wrong-type)');
  expect(screen.getByText('2026-05-01 12:00:00')).toBeDefined();
});

test('a line stays the same line when newer ones come before it, also of the same time', () => {
  const { rerender } = render(<ContactLines contacts={[contact({ bytes: 7 })]} zone="UTC" />);
  const first = screen.getByRole('listitem');
  const newer = contact({ bytes: 9 });
  rerender(<ContactLines contacts={[newer, newer, contact({ bytes: 7 })]} zone="UTC" />);
  const lines = screen.getAllByRole('listitem');
  expect(lines).toHaveLength(3);
  expect(lines[2]).toBe(first);
});
