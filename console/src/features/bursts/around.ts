import type { Span } from '../../api/pastQueries';
import type { Burst } from '../../api/schema';

/** Room on both sides of a burst: a tenth of it, and never so much that the next one could be in it. */
const MOST_ROOM = 2_000;

/** The time in which a burst is seen whole. */
export function around({ from, to }: Burst): Span {
  const [first, last] = [Date.parse(from), Date.parse(to)];
  const room = Math.min(MOST_ROOM, Math.max(10, (last - first) / 10));
  // Whole milliseconds, as the address has them.
  return { from: Math.round(first - room), to: Math.round(last + room) };
}

/** How long a burst is, in words. */
export function lengthOfBurst({ from, to }: Burst): string {
  const seconds = (Date.parse(to) - Date.parse(from)) / 1000;
  if (seconds < 120) return `${seconds.toFixed(seconds < 10 ? 1 : 0)} s`;
  return seconds < 7_200 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3_600).toFixed(1)} h`;
}

/** Which burst of a list a time shows, if it shows one. */
export const shownOf = (bursts: Burst[], span: Span): Burst | undefined =>
  bursts.find((burst) => {
    const whole = around(burst);
    return whole.from === span.from && whole.to === span.to;
  });
