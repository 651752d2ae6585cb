import type { Span } from '../api/pastQueries';

/** The shortest time a chart shows, in milliseconds. */
const SHORTEST = 20;
/** The longest: twenty years, as far back as readings are taken in. */
const LONGEST = 20 * 366 * 86_400_000;

/**
 * A span made longer or shorter by a factor, so that a moment stays where it is. It does not
 * reach past now.
 */
export function zoomed(span: Span, factor: number, at: number, now: number): Span {
  const length = Math.min(LONGEST, Math.max(SHORTEST, (span.to - span.from) * factor));
  const share = (at - span.from) / (span.to - span.from);
  const to = Math.min(at + (1 - share) * length, Math.max(now, span.to));
  return { from: to - length, to };
}

/** How much one notch of a wheel or a part of a pinch changes the span. */
export const factorOf = (deltaY: number): number => 1.002 ** Math.max(-200, Math.min(200, deltaY));
