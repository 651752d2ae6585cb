import { fromWall, wallTime } from '../format/time';

const DAY = 86_400_000;

/** Earlier times that can lie under a chart. */
export const EARLIER = [
  { id: 'day', label: 'The day before', words: 'a day earlier' },
  { id: 'week', label: 'The week before', words: 'a week earlier' },
  { id: 'year', label: 'The year before', words: 'a year earlier' },
] as const;

/** Which earlier time: one by the calendar, or so many milliseconds. */
export type Earlier = (typeof EARLIER)[number]['id'] | number;

const UNITS: Record<string, number> = { s: 1000, m: 60_000, h: 3_600_000, d: DAY, w: 7 * DAY };

/** A length of time as it is typed, such as `90m` or `3 d`, in milliseconds. */
export function parseLength(text: string): number | undefined {
  const match = /^\s*(\d+(?:[.,]\d+)?)\s*([smhdw])\s*$/.exec(text);
  const ms = match ? Number(match[1]?.replace(',', '.')) * (UNITS[match[2] ?? ''] ?? 0) : 0;
  return ms >= 1000 && ms <= 20 * 366 * DAY ? ms : undefined;
}

/** A length of time in the largest unit that makes it whole. */
export function lengthText(ms: number): string {
  const unit = Object.entries(UNITS)
    .toReversed()
    .find(([, size]) => ms % size === 0);
  return unit ? `${ms / unit[1]} ${unit[0]}` : `${ms / 1000} s`;
}

/** Reads `?under=week`, or a length such as `?under=3d`. */
export function readEarlier(params: URLSearchParams): Earlier | undefined {
  const text = params.get('under') ?? '';
  return EARLIER.find(({ id }) => id === text)?.id ?? parseLength(text);
}

/** As the address has it. */
export const writeEarlier = (earlier: Earlier): string =>
  typeof earlier === 'number' ? lengthText(earlier).replace(' ', '') : earlier;

/** What it is called. */
export const earlierWords = (earlier: Earlier): string =>
  EARLIER.find(({ id }) => id === earlier)?.words ?? `${lengthText(Number(earlier))} earlier`;

/**
 * How far the time under a moment lies back, in milliseconds. By the calendar the clocks of the zone show the
 * same then, also where they were put forward or back between.
 */
export function shiftOf(earlier: Earlier, at: number, zone: string): number {
  if (typeof earlier === 'number') return earlier;
  const wall = wallTime(at, zone);
  if (earlier !== 'year') return at - fromWall(wall - (earlier === 'day' ? DAY : 7 * DAY), zone);
  const date = new Date(wall);
  date.setUTCFullYear(date.getUTCFullYear() - 1);
  return at - fromWall(date.getTime(), zone);
}
