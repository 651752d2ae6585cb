import { useEffect, useRef, type RefObject } from 'react';
import type uPlot from 'uplot';
import { serviceNow } from '../format/clock';
import { useSteady } from './useSteady';

/** How old the newest value was at most just before the next came, of so many. */
const REMEMBERED = 8;
/** A window lags behind the clock by no more than this, in seconds. */
export const MOST_LAG = 5;
/** A plot that moves has room for so much time after its end, in seconds. */
export const AHEAD = 2;

/** How far a window lags behind the clock, in seconds, so that there are values up to its end. */
export function lagOf(ages: number[]): number {
  return Math.min(MOST_LAG, Math.max(0, ...ages));
}

/** How many pixels wider than the window a plot that moves is, if the window has so many. */
export const aheadOf = (length: number, width: number): number => (width * AHEAD * 1_000) / length;

/** Whether things may move on this screen. */
export const mayMove = (): boolean => !window.matchMedia('(prefers-reduced-motion: reduce)').matches;

/**
 * Moves the time of a plot on with the screen, `length` milliseconds wide: values that come in lumps move in smoothly.
 * The plot is drawn when there is something new, and is only pushed along in between, which costs a page next to
 * nothing. `newest` is the time of the last value in seconds. Gives what draws it as it is now.
 */
export function useMoving(
  plot: RefObject<uPlot | null>,
  length: number | undefined,
  newest: number | undefined,
): () => void {
  const ages = useRef<number[]>([]);
  const last = useRef<number>(undefined);
  const motion = useRef<Animation>(undefined);
  useEffect(() => {
    if (newest === undefined || newest === last.current) return;
    if (last.current !== undefined)
      ages.current = [...ages.current, serviceNow() / 1000 - last.current].slice(-REMEMBERED);
    last.current = newest;
  }, [newest]);
  const draw = useSteady(() => {
    const u = plot.current;
    if (u === null || length === undefined) return;
    const end = serviceNow() / 1000 - lagOf(ages.current);
    const seconds = length / 1000;
    u.setScale('x', { min: end - seconds, max: end + AHEAD });
    const width = u.bbox.width / window.devicePixelRatio;
    const by = (width * AHEAD) / (seconds + AHEAD);
    motion.current?.cancel();
    motion.current = u.root.animate([{ transform: 'none' }, { transform: `translateX(${-by}px)` }], {
      duration: AHEAD * 1_000,
      fill: 'forwards',
    });
  });
  useEffect(() => {
    if (length === undefined) return;
    // Without anything new the room would be used up.
    const timer = setInterval(draw, AHEAD * 500);
    return () => {
      clearInterval(timer);
      motion.current?.cancel();
    };
  }, [length, draw]);
  return draw;
}
