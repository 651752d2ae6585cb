import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef } from 'react';

/** How often something is asked for again, at most, in milliseconds. */
const AGAIN = 5_000;

/** Asks the service again for something of signals, named `device/signal`, together and not too often. */
export function useAskAgain(what: 'summary' | 'readings', site: string) {
  const cache = useQueryClient();
  const waiting = useRef({ signals: new Set<string>(), timer: undefined as number | undefined });
  useEffect(() => {
    const { current } = waiting;
    return () => {
      window.clearTimeout(current.timer);
      current.timer = undefined;
    };
  }, []);
  return useCallback(
    (signals: Set<string>) => {
      const { current } = waiting;
      signals.forEach((signal) => current.signals.add(signal));
      if (current.signals.size === 0 || current.timer !== undefined) return;
      current.timer = window.setTimeout(() => {
        current.timer = undefined;
        for (const key of current.signals) {
          const slash = key.indexOf('/');
          const named = [key.slice(0, slash), key.slice(slash + 1)];
          void cache.invalidateQueries({ queryKey: [what, site, ...named] });
        }
        current.signals.clear();
      }, AGAIN);
    },
    [cache, what, site],
  );
}
