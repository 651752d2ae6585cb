import { useQueries } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import { useLiveReadings } from '../../api/LiveProvider';
import { summary, type Span } from '../../api/queries';
import type { LiveReading, SignalNow } from '../../api/schema';
import { LiveHistory } from '../../chart/liveHistory';
import type { Pieces } from '../../chart/liveSummary';
import { lengthOf, spanUpTo, type Shown } from '../../chart/spans';
import { serviceNow } from '../../format/clock';
import { useAskAgain } from './useAskAgain';

/** Buckets asked for: about one for two pixels of a wide chart. */
const BUCKETS = 600;

/** A signal as it is drawn; `asked` is the unit it is looked at in, if that is another. */
type Drawn = SignalNow & { asked?: string };

/**
 * The history of some signals of a device over the time shown. A time up to now moves on with
 * the clock and with each reading, which the live stream brings: the service is asked once, and
 * again only for what the stream cannot tell.
 */
export function useHistory(site: string, device: string, signals: Drawn[], shown: Shown) {
  const isLive = shown.fixed === undefined;
  const [history] = useState(() => new LiveHistory());
  const version = useSyncExternalStore(history.subscribe, history.version);
  const [now, setNow] = useState(() => serviceNow());
  const asked = shown.fixed ?? { last: lengthOf(shown.id) };
  const results = useQueries({
    queries: signals.map((signal) => ({
      ...summary(site, device, signal.signal, asked, BUCKETS, signal.asked),
      gcTime: 10_000,
    })),
  });
  const answers = results.map((result) => result.dataUpdatedAt).join();
  useEffect(() => {
    signals.forEach((signal, i) => history.know(signal.signal, results[i]?.data));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `answers` changes whenever `results` do
  }, [history, signals, answers]);
  useClock(isLive ? lengthOf(shown.id) : undefined, setNow);
  const askAgain = useAskAgain('summary', site, device);
  const onReadings = useCallback(
    (readings: LiveReading[], thinned: boolean) => {
      const own = readings.filter((reading) => reading.device === device);
      if (!isLive || own.length === 0) return;
      const stale = history.take(own);
      for (const signal of signals) {
        const came = own.some((reading) => reading.signal === signal.signal);
        // The service changes values into other units, and knows what was left out.
        if (came && (thinned || signal.asked !== undefined)) stale.add(signal.signal);
      }
      askAgain(stale);
      setNow(serviceNow());
    },
    [history, device, signals, isLive, askAgain],
  );
  useLiveReadings(onReadings);
  const span: Span = shown.fixed ?? spanUpTo(shown.id, now);
  const { from } = span;
  const bySignal = useMemo(
    () =>
      new Map<string, Pieces | undefined>(signals.map(({ signal }) => [signal, history.of(signal, from)])),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `version` changes whenever the history does
    [history, signals, from, version],
  );
  const error = results.find((result) => result.error)?.error;
  return { span, asked, bySignal, error, isPending: results.some((result) => result.isPending) };
}

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
