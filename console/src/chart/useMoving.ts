import { useEffect, useRef, type RefObject } from 'react';
import type uPlot from 'uplot';
import { serviceNow } from '../format/clock';

/** How old the newest value was at most just before the next came, of so many. */
const REMEMBERED = 8;
/** A window lags behind the clock by no more than this, in seconds. */
const MOST_LAG = 5;

/** How far a window lags behind the clock, in seconds, so that there are values up to its end. */
export function lagOf(ages: number[]): number {
  return Math.min(MOST_LAG, Math.max(0, ...ages));
}

/**
 * Moves the time of a plot on with each picture of the screen, `length` milliseconds wide: values that come in
 * lumps move in smoothly. `newest` is the time of the last value in seconds.
 */
export function useMoving(
  plot: RefObject<uPlot | null>,
  length: number | undefined,
  newest: number | undefined,
): void {
  const ages = useRef<number[]>([]);
  const last = useRef<number>(undefined);
  useEffect(() => {
    if (newest === undefined || newest === last.current) return;
    if (last.current !== undefined)
      ages.current = [...ages.current, serviceNow() / 1000 - last.current].slice(-REMEMBERED);
    last.current = newest;
  }, [newest]);
  useEffect(() => {
    if (length === undefined || window.matchMedia('(prefers-reduced-motion: reduce)').matches) return;
    let frame = 0;
    let drawn = 0;
    const move = () => {
      frame = requestAnimationFrame(move);
      const u = plot.current;
      if (u === null) return;
      const end = serviceNow() / 1000 - lagOf(ages.current);
      const pixel = length / 1000 / Math.max(1, u.bbox.width);
      // Less than half a pixel cannot be seen.
      if (Math.abs(end - drawn) < pixel / 2) return;
      drawn = end;
      u.setScale('x', { min: end - length / 1000, max: end });
    };
    frame = requestAnimationFrame(move);
    return () => cancelAnimationFrame(frame);
  }, [plot, length]);
}
