import { fireEvent, screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { press, show, type } from '../testing-dom';
import { SpanControls } from './SpanControls';
import type { Shown } from './spans';

const SPAN = { from: Date.parse('2026-05-01T10:00:00Z'), to: Date.parse('2026-05-01T12:00:00Z') };
const HOUR = 3_600_000;

const open = (shown: Shown = { fixed: SPAN }) => {
  const onShow = vi.fn();
  show(<SpanControls shown={shown} span={SPAN} zone="UTC" signals={[]} onShow={onShow} />);
  return onShow;
};

test.each<[string, Shown]>([
  ['Earlier', { fixed: { from: SPAN.from - HOUR, to: SPAN.to - HOUR } }],
  ['Later', { fixed: { from: SPAN.from + HOUR, to: SPAN.to + HOUR } }],
  ['Closer', { fixed: { from: SPAN.from + HOUR / 2, to: SPAN.to - HOUR / 2 } }],
  ['Wider', { fixed: { from: SPAN.from - HOUR, to: SPAN.to + HOUR } }],
  ['The last ten seconds', { id: '10s' }],
  ['The last year', { id: '1y' }],
])('%s', (button, shown) => {
  const onShow = open();
  press(button);
  expect(onShow).toHaveBeenCalledWith(shown);
});

test('up to now there is nothing later', () => {
  open({ id: '1h' });
  expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Later' }).disabled).toBe(true);
  expect(screen.getByRole('button', { name: 'The last hour' }).getAttribute('aria-pressed')).toBe('true');
});

test.each<[string, string, Shown | undefined]>([
  ['From', '2026-05-01 09:30', { fixed: { from: SPAN.from - HOUR / 2, to: SPAN.to } }],
  ['To', '2026-05-01 12:30', { fixed: { from: SPAN.from, to: SPAN.to + HOUR / 2 } }],
  ['From', '2026-05-01 13:00', undefined],
  ['To', '2026-05-01 09:00', undefined],
  ['To', 'noon', undefined],
])('%s "%s" shows %o', (field, text, shown) => {
  const onShow = open();
  type(field, text);
  fireEvent.keyDown(screen.getByLabelText(field), { key: 'Enter' });
  expect(onShow.mock.calls).toEqual(shown === undefined ? [] : [[shown]]);
});
