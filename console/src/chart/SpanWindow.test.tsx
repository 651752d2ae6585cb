import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { SpanWindow } from './SpanWindow';

const HOUR = 3_600_000;
const FROM = Date.parse('2026-05-01T00:00:00Z');
const WHOLE = { from: FROM, to: FROM + 100 * HOUR };
const SPAN = { from: FROM + 40 * HOUR, to: FROM + 50 * HOUR };
const hours = ({ from, to }: { from: number; to: number }) => [(from - FROM) / HOUR, (to - FROM) / HOUR];

beforeEach(() => {
  Element.prototype.setPointerCapture = vi.fn();
  // The document of tests has pointer events without places.
  vi.stubGlobal('PointerEvent', MouseEvent);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function open() {
  const onShow = vi.fn<(span: { from: number; to: number }) => void>();
  render(<SpanWindow whole={WHOLE} width={1_000} height={36} span={SPAN} zone="UTC" onShow={onShow} />);
  return onShow;
}
const grip = (name: string) => screen.getByRole('slider', { name });

test('each grip says its time', () => {
  open();
  expect(grip('The time shown').getAttribute('aria-valuetext')).toBe(
    '2026-05-02 16:00:00 to 2026-05-03 02:00:00',
  );
  expect(grip('End of the time shown').getAttribute('aria-valuetext')).toBe('2026-05-03 02:00:00');
});

test.each([
  ['The time shown', 100, [50, 60]],
  ['Begin of the time shown', -100, [30, 50]],
  ['End of the time shown', 200, [40, 70]],
])('%s is dragged by %d pixels', (name, by, expected) => {
  const onShow = open();
  fireEvent.pointerDown(grip(name), { clientX: 500 });
  fireEvent.pointerMove(grip(name), { clientX: 500 + by });
  // Only what is let go is shown.
  expect(onShow).not.toHaveBeenCalled();
  fireEvent.pointerUp(grip(name), { clientX: 500 + by });
  expect(hours(onShow.mock.calls[0]?.[0] ?? SPAN)).toEqual(expected);
});

test('a press without a move shows nothing else', () => {
  const onShow = open();
  fireEvent.pointerDown(grip('The time shown'), { clientX: 500 });
  fireEvent.pointerUp(grip('The time shown'), { clientX: 500 });
  expect(onShow).not.toHaveBeenCalled();
});

test.each([
  ['The time shown', 'ArrowRight', [41, 51]],
  ['The time shown', 'PageDown', [30, 40]],
  ['The time shown', 'Home', [0, 10]],
  ['End of the time shown', 'ArrowLeft', [40, 49]],
])('%s is moved by %s', (name, key, expected) => {
  const onShow = open();
  fireEvent.keyDown(grip(name), { key });
  expect(hours(onShow.mock.calls[0]?.[0] ?? SPAN)).toEqual(expected);
});

test('other keys are left to the page', () => {
  const onShow = open();
  expect(fireEvent.keyDown(grip('The time shown'), { key: 'a' })).toBe(true);
  expect(onShow).not.toHaveBeenCalled();
});
