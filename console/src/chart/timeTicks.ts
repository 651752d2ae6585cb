import type { Span } from '../api/pastQueries';
import { dateTime, fineTime, fromWall, wallTime } from '../format/time';

const SECOND = 1000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/** Steps that end on round times of the clock, and of the calendar in months. */
const STEPS: { ms: number; months?: number }[] = [
  ...[1, 2, 5, 10, 20, 50, 100, 200, 500].map((ms) => ({ ms })),
  ...[1, 2, 5, 10, 15, 30].map((n) => ({ ms: n * SECOND })),
  ...[1, 2, 5, 10, 15, 30].map((n) => ({ ms: n * MINUTE })),
  ...[1, 2, 3, 6, 12].map((n) => ({ ms: n * HOUR })),
  ...[1, 2, 7].map((n) => ({ ms: n * DAY })),
  ...[1, 2, 3, 6, 12, 24, 60, 120].map((months) => ({ ms: months * 30.4 * DAY, months })),
];

/** A Monday, from which weeks are counted. */
const MONDAY = Date.UTC(1970, 0, 5);

/** A mark on the axis of time and what stands there. */
export interface TimeTick {
  at: number;
  text: string;
}

/**
 * Round times of a zone's clocks within a span, at most so many. Where the clocks are put
 * forward or back they stay round; a time that is skipped is left out.
 */
export function timeTicks(span: Span, zone: string, most: number): TimeTick[] {
  const length = span.to - span.from;
  const step = STEPS.find(({ ms }) => length / ms <= most) ?? STEPS.at(-1);
  if (step === undefined || !(length > 0)) return [];
  const walls = step.months === undefined ? clock(span, zone, step.ms) : calendar(span, zone, step.months);
  const moments = walls
    .map((wall) => ({ wall, at: fromWall(wall, zone) }))
    .filter(({ wall, at }) => at >= span.from && at <= span.to && wallTime(at, zone) === wall);
  return moments.map(({ at }) => ({ at, text: textOf(at, zone, step.ms) }));
}

/** Multiples of a step on the clock; the first one may lie before the span. */
function clock(span: Span, zone: string, ms: number): number[] {
  const origin = ms >= DAY ? MONDAY : 0;
  const [first, last] = [wallTime(span.from, zone), wallTime(span.to, zone)];
  const start = origin + Math.floor((first - origin) / ms) * ms;
  return Array.from({ length: Math.floor((last - start) / ms) + 1 }, (_, i) => start + i * ms);
}

function calendar(span: Span, zone: string, months: number): number[] {
  const first = new Date(wallTime(span.from, zone));
  const start = Math.floor((first.getUTCFullYear() * 12 + first.getUTCMonth()) / months) * months;
  const last = wallTime(span.to, zone);
  const walls = [];
  for (let month = start; ; month += months) {
    const wall = Date.UTC(Math.floor(month / 12), month % 12);
    if (wall > last) return walls;
    walls.push(wall);
  }
}

function textOf(at: number, zone: string, step: number): string {
  const text = dateTime(at, zone);
  if (step >= 300 * DAY) return text.slice(0, 4);
  if (step >= 28 * DAY) return text.slice(0, 7);
  if (step >= DAY) return text.slice(5, 10);
  // Midnight says which day begins.
  if (step >= MINUTE) return text.endsWith('00:00:00') ? text.slice(5, 10) : text.slice(11, 16);
  if (step >= SECOND) return text.slice(11);
  return fineTime(new Date(at).toISOString(), zone).slice(17);
}
