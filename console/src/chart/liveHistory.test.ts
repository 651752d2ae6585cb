import { expect, test, vi } from 'vitest';
import type { LiveReading, SummarySet } from '../api/schema';
import { LiveHistory } from './liveHistory';

const second = (at: number) => new Date(at * 1000).toISOString();
const answer = (to: number): SummarySet => ({
  from: second(0),
  to: second(to),
  width_s: 2,
  buckets: [],
  last_at: second(to),
});
const reading = (at: number, value: LiveReading['value'] = 1, signal = 'level'): LiveReading => ({
  device: 'tower',
  signal,
  at: second(at),
  value,
});
const starts = (history: LiveHistory, signal = 'tower/level') =>
  history.of(signal, 0)?.pieces.map((piece) => piece.start_ms / 1000);

test('readings are taken in after the answer, and those who look are told', () => {
  const history = new LiveHistory();
  const listener = vi.fn();
  const leave = history.subscribe(listener);
  history.know('tower/level', answer(10));
  expect(history.take([reading(12), reading(14)])).toEqual(new Set());
  expect(starts(history)).toEqual([12, 14]);
  expect([listener.mock.calls.length, history.version()]).toEqual([2, 2]);
  leave();
  history.take([reading(16)]);
  expect(listener.mock.calls.length).toBe(2);
});

test('what came while an answer was under way is in it once', () => {
  const history = new LiveHistory();
  history.know('tower/level', answer(10));
  history.take([reading(12), reading(21), reading(22)]);
  // The service had all up to 20 when it answered.
  history.know('tower/level', answer(20));
  expect(starts(history)).toEqual([20, 22]);
});

test('a time that is over ends where it ends', () => {
  const history = new LiveHistory();
  history.know('tower/level', answer(10));
  history.take([reading(12)]);
  history.know('tower/level', answer(8), false);
  expect(starts(history)).toEqual([]);
  history.know('tower/level', answer(11), true);
  expect(starts(history)).toEqual([12]);
});

test('what came before the first answer is not lost', () => {
  const history = new LiveHistory();
  history.take([reading(11)]);
  history.know('tower/level', answer(10));
  expect(starts(history)).toEqual([10]);
});

test('only the service knows what a late reading makes of the past', () => {
  const history = new LiveHistory();
  history.know('tower/level', answer(10));
  history.know('tower/temp', answer(10));
  expect(history.take([reading(5), reading(11, 2, 'temp')])).toEqual(new Set(['tower/level']));
});

test.each<[LiveReading['value'], number | undefined]>([
  [true, 1],
  [false, 0],
  [2.5, 2.5],
  ['calm', undefined],
  [{ latitude: 54.5, longitude: -2.3 }, undefined],
])('%o is drawn as %o', (value, drawn) => {
  const history = new LiveHistory();
  history.know('tower/level', answer(10));
  history.take([reading(12, value)]);
  expect(history.of('tower/level', 0)?.pieces[0]?.mean).toBe(drawn);
});

test('the same answer again changes nothing, and what is not looked at is not drawn', () => {
  const history = new LiveHistory();
  const same = answer(10);
  history.know('tower/level', same);
  history.take([reading(12)]);
  history.know('tower/level', same);
  expect(starts(history)).toEqual([12]);
  history.take([reading(12, 1, 'other')]);
  expect(history.of('tower/other', 0)).toBeUndefined();
  history.know('tower/level', undefined);
  expect(history.of('tower/level', 0)).toBeUndefined();
});

test('however much comes, as much is kept as an answer under way can need', () => {
  const history = new LiveHistory();
  for (let i = 0; i < 5000; i += 1) history.take([reading(10 + i)]);
  history.know('tower/level', answer(10));
  const kept = starts(history) ?? [];
  expect(kept.at(-1)).toBe(5008);
  expect(kept.length).toBeLessThanOrEqual(501);
});

test('the most decimals that came are known', () => {
  const history = new LiveHistory();
  expect(history.decimals('tower/level')).toBe(0);
  history.take([reading(11, 9.25), reading(12, 9.5), reading(13, true)]);
  expect(history.decimals('tower/level')).toBe(2);
  expect(history.decimals('tower/temp')).toBe(0);
});

test('changes are told no more often than can be seen, and the last one always', () => {
  vi.useFakeTimers();
  try {
    const history = new LiveHistory();
    const listener = vi.fn();
    history.know('tower/level', answer(10));
    history.setPace(500);
    history.subscribe(listener);
    vi.advanceTimersByTime(600);
    for (let at = 12; at < 40; at += 2) {
      history.take([reading(at)]);
      vi.advanceTimersByTime(100);
    }
    expect(listener.mock.calls.length).toBe(3);
    vi.advanceTimersByTime(500);
    expect(listener.mock.calls.length).toBe(4);
    expect(starts(history)?.at(-1)).toBe(38);
    // An answer of the service is not waited for.
    history.take([reading(40)]);
    history.know('tower/level', answer(41));
    expect(listener.mock.calls.length).toBe(5);
    vi.advanceTimersByTime(2_000);
    expect(listener.mock.calls.length).toBe(5);
  } finally {
    vi.useRealTimers();
  }
});

test('samples that came late after an answer that had none of their time are taken in', () => {
  const history = new LiveHistory();
  // Asked at 20, when the last message had ended at 10: the next brings all from there.
  history.know('tower/level', { ...answer(20), last_at: second(10) });
  expect(history.take([reading(12), reading(14), reading(22)])).toEqual(new Set());
  expect(starts(history)).toEqual([12, 14, 22]);
  expect(history.take([reading(10)])).toEqual(new Set(['tower/level']));
});
