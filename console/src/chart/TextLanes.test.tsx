import { cleanup, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { aSignal } from '../testing';
import { TextLanes } from './TextLanes';
import type { Stays } from './useStays';

const FROM = Date.parse('2026-05-01T08:00:00Z');
const SPAN = { from: FROM, to: FROM + 3_600_000 };
const at = (minutes: number) => new Date(FROM + minutes * 60_000).toISOString();
const MODE = { ...aSignal({ signal: 'mode', name: 'Mode', type: 'text' }), device: 'tower', interval_s: 60 };

beforeEach(() => {
  // Everything is a thousand pixels wide.
  vi.stubGlobal(
    'ResizeObserver',
    class {
      #told: () => void;
      constructor(told: () => void) {
        this.#told = told;
      }
      observe(element: Element) {
        Object.defineProperty(element, 'clientWidth', { value: 1_000, configurable: true });
        this.#told();
      }
      disconnect() {}
    },
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function lanes(stays: [text: string, from: number, to: number][], more: Partial<Stays> = {}) {
  const items = stays.map(([value, from, to]) => ({ value, from: at(from), to: at(to), count: 2 }));
  const all: Stays = { of: new Map([['tower/mode', items]]), cut: new Set(), error: null, ...more };
  render(<TextLanes signals={[MODE]} stays={all} span={SPAN} zone="UTC" isNamed={false} hasRight={false} />);
}
const textsIn = (lane: Element) => [...lane.querySelectorAll('text')].map((text) => text.textContent);

test('a text stands in its span, where there is room for it', () => {
  lanes([
    ['eco', 0, 29],
    ['off', 30, 30],
    ['boost', 31, 59],
  ]);
  const lane = screen.getByRole('img');
  expect(textsIn(lane)).toEqual(['eco', 'boost']);
  const titles = [...lane.querySelectorAll('title')].map((title) => title.textContent);
  expect(titles[1]).toBe('off: 2026-05-01 08:30:00 to 2026-05-01 08:31:00');
});

test('in words stands what held for how much of the time', () => {
  lanes([
    ['eco', 0, 29],
    ['boost', 30, 59],
  ]);
  expect(screen.getByText('Mode: “eco” 50 %, “boost” 50 % of the time.')).toBeTruthy();
});

test.each<[string, [string, number, number][], string]>([
  ['one text', [['eco', 0, 59]], 'Mode: “eco” all the time.'],
  ['nothing', [], 'Mode: no readings in this time.'],
  [
    'many',
    ['a', 'b', 'c', 'd', 'e', 'f'].map((text, i) => [text, i * 10, i * 10 + 9]),
    'Mode: “a” 17 %, “b” 17 %, “c” 17 %, “d” 17 %, and 2 others of the time.',
  ],
])('%s is told', (_, stays, sentence) => {
  lanes(stays);
  expect(screen.getByText(sentence)).toBeTruthy();
});

test('what could not be told, and what went wrong, is said', () => {
  lanes([['eco', 0, 59]], { cut: new Set(['tower/mode']), error: new Error('The line is broken.') });
  expect(screen.getByText(/changed too often/)).toBeTruthy();
  expect(screen.getByText(/The line is broken/)).toBeTruthy();
});
