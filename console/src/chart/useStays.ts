import { useQueries } from '@tanstack/react-query';
import { useCallback, useMemo } from 'react';
import { useLiveReadings } from '../api/LiveProvider';
import { stays, type Asked } from '../api/pastQueries';
import type { LiveReading, Stay } from '../api/schema';
import { keyOf, type Drawn } from './drawn';
import { HOLD } from './stays';
import { useAskAgain } from './useAskAgain';

/** How long values, or their quality, stayed. */
export interface Stays {
  of: Map<string, Stay[]>;
  /** Not all could be told: the time ends too early for these signals. */
  cut: Set<string>;
  error: Error | null;
}

/** Asks how long the values of some signals stayed, or their quality, by `device/signal`. */
export function useStays(site: string, signals: Drawn[], asked: Asked, of: 'value' | 'quality'): Stays {
  const results = useQueries({
    queries: signals.map((signal) =>
      stays(site, signal.device, signal.signal, widened(asked, signal.interval_s), of),
    ),
  });
  const askAgain = useAskAgain('readings', site);
  const isLive = 'last' in asked;
  const onReadings = useCallback(
    (came: LiveReading[]) => {
      if (!isLive) return;
      const ours = signals.map(keyOf);
      askAgain(new Set(came.map(keyOf).filter((key) => ours.includes(key))));
    },
    [signals, isLive, askAgain],
  );
  useLiveReadings(onReadings);
  const answers = results.map((result) => result.dataUpdatedAt).join();
  return useMemo(() => {
    const found = new Map<string, Stay[]>();
    const cut = new Set<string>();
    results.forEach(({ data }, i) => {
      const signal = signals[i];
      if (!data || !signal) return;
      found.set(keyOf(signal), data.items);
      if (data.next !== undefined) cut.add(keyOf(signal));
    });
    return { of: found, cut, error: results.find(({ error }) => error)?.error ?? null };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `answers` changes whenever `results` do
  }, [signals, answers]);
}

/** The time, and before and after it as much as a value may hold: what was said before it is so still. */
function widened(asked: Asked, interval_s: number): Asked {
  const longest = HOLD * interval_s;
  return 'last' in asked
    ? { last: asked.last + longest }
    : { from: asked.from - longest, to: asked.to + longest };
}
