import { useCallback, useLayoutEffect, useRef } from 'react';

/**
 * A function that stays the same from one drawing to the next and does what the last one given does: what is handed it
 * need not be drawn again. Not to be called while drawing.
 */
export function useSteady<A extends unknown[], R>(call: (...args: A) => R): (...args: A) => R {
  const latest = useRef(call);
  useLayoutEffect(() => {
    latest.current = call;
  });
  return useCallback((...args: A) => latest.current(...args), []);
}
