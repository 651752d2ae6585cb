import { fireEvent } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { onPress } from './press';

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

const at = (x: number) => ({ clientX: x, clientY: 10 });

function listening() {
  const element = document.createElement('div');
  const press = vi.fn();
  return { element, press, stop: onPress(element, press) };
}

test('a single press is told once it cannot be a double one', () => {
  const { element, press } = listening();
  fireEvent.mouseDown(element, at(5));
  fireEvent.click(element, { ...at(6), detail: 1 });
  expect(press).not.toHaveBeenCalled();
  vi.advanceTimersByTime(300);
  expect(press).toHaveBeenCalledTimes(1);
});

test('neither a drag nor a double press is a press', () => {
  const { element, press } = listening();
  fireEvent.mouseDown(element, at(5));
  fireEvent.click(element, { ...at(60), detail: 1 });
  fireEvent.mouseDown(element, at(5));
  fireEvent.click(element, { ...at(5), detail: 1 });
  fireEvent.mouseDown(element, at(5));
  fireEvent.click(element, { ...at(5), detail: 2 });
  vi.advanceTimersByTime(1000);
  expect(press).not.toHaveBeenCalled();
});

test('what is stopped is told no more', () => {
  const { element, press, stop } = listening();
  fireEvent.mouseDown(element, at(5));
  fireEvent.click(element, { ...at(5), detail: 1 });
  stop();
  vi.advanceTimersByTime(1000);
  expect(press).not.toHaveBeenCalled();
});
