import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import type { PositionCheck } from '../../api/schema';
import { MovingCheck } from './MovingCheck';
import { ScreenEditor } from './ScreenEditor';

afterEach(cleanup);

test('what is typed is checked, and what is cleared is not', () => {
  const onChange = vi.fn();
  const check: PositionCheck = { accuracy_m: 20 };
  render(<MovingCheck check={check} onChange={onChange} />);
  fireEvent.change(screen.getByLabelText('Fastest (m/s)'), { target: { value: '25' } });
  expect(onChange).toHaveBeenLastCalledWith({ accuracy_m: 20, fastest_m_per_s: 25 });
  fireEvent.change(screen.getByLabelText(/Signal that tells/), { target: { value: 'satellites' } });
  expect(onChange).toHaveBeenLastCalledWith({ accuracy_m: 20, fix: { at_least: 4, signal: 'satellites' } });
  fireEvent.change(screen.getByLabelText('Within (m)'), { target: { value: '' } });
  expect(onChange).toHaveBeenLastCalledWith(undefined);
});

test.each([
  ['position', 'Movement', 'Frozen'],
  ['number', 'Frozen', 'Movement'],
] as const)('a %s is checked for what it can be', (type, has, lacks) => {
  render(<ScreenEditor screen={{}} onChange={() => undefined} type={type} symbol="" />);
  expect(screen.getByText(has)).toBeTruthy();
  expect(screen.queryByText(lacks)).toBeNull();
});
