import { QueryClient } from '@tanstack/react-query';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { LiveSite } from './live';
import { liveValues } from './liveValues';
import type { ChangeEvent } from './schema';

/** A stream that tests speak into. */
class Stream extends EventTarget {
  static opened: Stream[] = [];
  static readonly CLOSED = 2;
  readyState = 1;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  constructor(readonly url: string) {
    super();
    Stream.opened.push(this);
  }
  close(): void {
    this.readyState = Stream.CLOSED;
  }
  say(name: string, data: unknown): void {
    this.dispatchEvent(new MessageEvent(name, { data: JSON.stringify(data) }));
  }
}

let cache: QueryClient;
let asked: string[];
let live: LiveSite;
let stream: Stream;

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('EventSource', Stream);
  cache = new QueryClient();
  asked = [];
  vi.spyOn(cache, 'invalidateQueries').mockImplementation((filters) => {
    asked.push((filters?.queryKey ?? ['everything']).join(' '));
    return Promise.resolve();
  });
  live = new LiveSite('marlbeck', cache);
  stream = Stream.opened.at(-1) as Stream;
});

afterEach(() => {
  live.close();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const reading = { device: 'tower', signal: 'level', at: '2026-05-01T12:00:00Z', value: 2 };

test('readings are shown at once, and only what they moved is asked for again, now and then', () => {
  stream.say('readings', { readings: [reading] });
  expect(liveValues('marlbeck').last('tower', 'level')?.value).toBe(2);
  vi.advanceTimersByTime(0);
  expect(asked).toEqual(['device-now marlbeck tower']);
  for (let second = 0; second < 9; second += 1) {
    stream.say('readings', { readings: [reading, { ...reading, device: 'shed' }] });
    vi.advanceTimersByTime(1_000);
  }
  expect(asked).toHaveLength(1);
  vi.advanceTimersByTime(2_000);
  expect(asked.slice(1)).toEqual(['device-now marlbeck tower', 'device-now marlbeck shed']);
});

test('a device that falls silent is another order of the lamp room', () => {
  stream.say('presence', { device: 'tower', presence: 'silent', since: '2026-05-01T02:14:00Z' });
  expect(liveValues('marlbeck').standing('tower')?.presence).toBe('silent');
  vi.advanceTimersByTime(0);
  expect(asked).toContain('now marlbeck');
});

test('many changes at once ask once, and a change nobody knows does no harm', () => {
  for (let time = 0; time < 50; time += 1) stream.say('change', { what: 'key', device: 'tower' });
  stream.say('change', { what: 'of a later version' as ChangeEvent['what'] });
  vi.advanceTimersByTime(1_000);
  expect(asked).toEqual(['keys marlbeck']);
});

test('values of a past that was changed are forgotten', () => {
  stream.say('readings', { readings: [reading] });
  stream.say('change', { what: 'history', device: 'tower' });
  expect(liveValues('marlbeck').last('tower', 'level')).toBeUndefined();
});

test('a lost stream is told, and after a refusal the session is looked at and the stream opened again', () => {
  const told = vi.fn();
  live.onState(told);
  stream.readyState = Stream.CLOSED;
  stream.onerror?.();
  expect(live.state().connected).toBe(false);
  expect(asked).toEqual(['session']);
  vi.advanceTimersByTime(5_000);
  const again = Stream.opened.at(-1) as Stream;
  expect(again).not.toBe(stream);
  again.onopen?.();
  expect(live.state().connected).toBe(true);
  expect(told).toHaveBeenCalledTimes(2);
  expect(asked).toContain('everything');
});

test('events that were missed make everything be read again', () => {
  stream.say('reset', {});
  expect(asked).toEqual(['everything']);
});
