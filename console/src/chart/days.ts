import { fromWall, wallTime } from '../format/time';
import type { Span } from '../api/pastQueries';

const DAY = 86_400_000;
/** In a longer time days could not be told apart. */
const MOST_DAYS = 40;

/** Midnight of the day in which a moment lies. */
export const dayOf = (at: number, zone: string): number => {
  const wall = wallTime(at, zone);
  return fromWall(wall - (((wall % DAY) + DAY) % DAY), zone);
};

/** The midnights within a time; none if there would be too many. */
export function midnights(span: Span, zone: string): number[] {
  if (span.to - span.from > MOST_DAYS * DAY) return [];
  const first = wallTime(dayOf(span.from, zone), zone);
  const found: number[] = [];
  for (let i = 0; i <= MOST_DAYS + 2; i += 1) {
    const at = fromWall(first + i * DAY, zone);
    if (at > span.from && at < span.to) found.push(at);
  }
  return found;
}

/** The day or week, from Monday on, in which a moment lies. */
export function around(what: 'day' | 'week', at: number, zone: string): Span {
  const day = wallTime(dayOf(at, zone), zone);
  const back = what === 'day' ? 0 : (new Date(day).getUTCDay() + 6) % 7;
  const first = day - back * DAY;
  return { from: fromWall(first, zone), to: fromWall(first + (what === 'day' ? 1 : 7) * DAY, zone) };
}
