import type { Figures } from '../../api/schema';
import { dateTime, wallTime } from '../../format/time';

/** Steps of the hue. */
export const STEPS = 7;

/** An hour of a day. */
export interface Cell {
  hour: number;
  value: number;
  /** From 0 to `STEPS` - 1. */
  step: number;
  count: number;
}

/** A day, and its hours in which there was something. */
export interface Day {
  date: string;
  cells: Cell[];
}

/** Means by day and hour. */
export interface Heat {
  days: Day[];
  /** The least and the greatest mean. */
  low: number;
  high: number;
}

/** Puts figures by hour into days; an hour that the clocks go through twice is the mean of both. */
export function heatOf(buckets: Figures[], zone: string): Heat {
  const means = buckets.map(({ time_mean }) => time_mean);
  const [low, high] = [Math.min(...means), Math.max(...means)];
  const width = (high - low) / STEPS;
  const stepOf = (value: number) => (width > 0 ? Math.min(STEPS - 1, Math.floor((value - low) / width)) : 0);
  const days = new Map<string, Map<number, { sum: number; count: number; parts: number }>>();
  for (const { start_ms, time_mean, count } of buckets) {
    const date = dateTime(start_ms, zone).slice(0, 10);
    const hour = new Date(wallTime(start_ms, zone)).getUTCHours();
    const hours = days.get(date) ?? new Map<number, { sum: number; count: number; parts: number }>();
    const known = hours.get(hour) ?? { sum: 0, count: 0, parts: 0 };
    hours.set(hour, { sum: known.sum + time_mean, count: known.count + count, parts: known.parts + 1 });
    days.set(date, hours);
  }
  const cells = (hours: Map<number, { sum: number; count: number; parts: number }>): Cell[] =>
    [...hours].map(([hour, { sum, count, parts }]) => {
      const value = sum / parts;
      return { hour, value, step: stepOf(value), count };
    });
  return { days: [...days].map(([date, hours]) => ({ date, cells: cells(hours) })), low, high };
}
