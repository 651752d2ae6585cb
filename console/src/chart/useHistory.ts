import { useQueries } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import { useLiveReadings } from '../api/LiveProvider';
import { summary, type Span } from '../api/pastQueries';
import type { LiveReading } from '../api/schema';
import { keyOf, type Drawn } from './drawn';
import { LiveHistory } from './liveHistory';
import type { Pieces } from './liveSummary';
import { lengthOf, spanUpTo, type Shown } from './spans';
import { serviceNow } from '../format/clock';
import { useAskAgain } from './useAskAgain';
import { MOST_LAG } from './useMoving';

/** A time up to now that is no longer than this, in milliseconds, moves on all the time. */
const MOVING = 60_000;

/** Buckets asked for: about one for two pixels of a wide chart. */
export const BUCKETS = 600;

/**
 * The histories of some signals over the time shown, by `device/signal`. A time up to now moves on with
 * the clock and with each reading, which the live stream brings: the service is asked once, and
 * again only for what the stream cannot tell.
 */
export function useHistory(site: string, signals: Drawn[], shown: Shown) {
  // A day that is not over goes on too.
  const isLive = shown.fixed === undefined || shown.fixed.to > serviceNow();
  const [history] = useState(() => new LiveHistory());
  const version = useSyncExternalStore(history.subscribe, history.version);
  const length = shown.fixed ? shown.fixed.to - shown.fixed.from : lengthOf(shown.id);
  useEffect(() => history.setPace(paceOf(length)), [history, length]);
  const [now, setNow] = useState(() => serviceNow());
  const asked = shown.fixed ?? { last: length };
  const results = useQueries({
    queries: signals.map((signal) => ({
      ...summary(site, signal.device, signal.signal, asked, BUCKETS, signal.asked),
      gcTime: 10_000,
    })),
  });
  const answers = results.map((result) => result.dataUpdatedAt).join();
  useEffect(() => {
    signals.forEach((signal, i) => history.know(keyOf(signal), results[i]?.data, isLive));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `answers` changes whenever `results` do
  }, [history, signals, answers, isLive]);
  useClock(shown.fixed === undefined ? length : undefined, setNow);
  const asIts = useMemo(() => new Map(signals.map((signal) => [keyOf(signal), signal.asked])), [signals]);
  const askAgain = useAskAgain('summary', site);
  const onReadings = useCallback(
    (readings: LiveReading[], thinned: boolean) => {
      if (!isLive) return;
      const came = readings.filter((reading) => asIts.has(keyOf(reading)));
      if (came.length === 0) return;
      const stale = history.take(came);
      for (const reading of came) {
        // The service changes values into other units, and knows what was left out.
        if (thinned || asIts.get(keyOf(reading)) !== undefined) stale.add(keyOf(reading));
      }
      askAgain(stale);
    },
    [history, asIts, isLive, askAgain],
  );
  useLiveReadings(onReadings);
  const span: Span = shown.fixed ?? spanUpTo(shown.id, Math.max(now, history.toldAt()));
  const moving = shown.fixed === undefined && length <= MOVING ? length : undefined;
  // A moving window lags behind what comes.
  const from = span.from - (moving === undefined ? 0 : MOST_LAG * 1_000);
  const sets = useMemo(
    () =>
      new Map<string, Pieces | undefined>(
        signals.map((signal) => [keyOf(signal), history.of(keyOf(signal), from)]),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `version` changes whenever the history does
    [history, signals, from, version],
  );
  // A value is told with the decimals it came with, before the service is asked how many there are.
  const decimals = (signal: Drawn): number =>
    signal.worked_out || signal.asked !== undefined
      ? signal.decimals
      : Math.max(signal.decimals, history.decimals(keyOf(signal)));
  const error = results.find((result) => result.error)?.error;
  return {
    span,
    moving,
    asked,
    sets,
    decimals,
    error,
    isPending: results.some((result) => result.isPending),
  };
}

/** How often a chart of such a length is drawn at most: there is no more to see than a bucket's worth, in milliseconds. */
const paceOf = (length: number): number => Math.min(1_000, Math.max(100, length / BUCKETS / 2));

/** What {@link useHistory} gives. */
export type History = ReturnType<typeof useHistory>;

/** Moves a chart of such a length on: by a pixel at a time, but not more often than each second. */
function useClock(length: number | undefined, setNow: (now: number) => void) {
  useEffect(() => {
    if (length === undefined) return;
    setNow(serviceNow());
    const every = Math.max(1_000, Math.min(60_000, length / BUCKETS));
    const timer = setInterval(() => setNow(serviceNow()), every);
    return () => clearInterval(timer);
  }, [length, setNow]);
}
