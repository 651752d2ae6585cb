import { useQueries } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { useLiveReadings } from '../../api/LiveProvider';
import { summary, type Span } from '../../api/queries';
import type { LiveReading, SignalNow, SummarySet } from '../../api/schema';
import { serviceNow } from '../../format/clock';
import { spanUpTo, type Shown } from './spans';

/** Buckets asked for: about one for two pixels of a wide chart. */
const BUCKETS = 600;

/** The time shown, which moves on with the clock or with each reading. */
function useSpan(device: string, shown: Shown): Span {
  const [now, setNow] = useState(() => serviceNow());
  const span = shown.fixed ?? spanUpTo(shown.id, now);
  const length = span.to - span.from;
  // A bucket's width is soon enough for a long time, a second for a short one.
  const patience = Math.max(1000, Math.min(60_000, length / BUCKETS));
  const fixed = shown.fixed !== undefined;
  useEffect(() => {
    if (fixed) return;
    const timer = setInterval(() => setNow(serviceNow()), Math.max(5_000, patience));
    return () => clearInterval(timer);
  }, [fixed, patience]);
  const onReadings = useCallback(
    (readings: LiveReading[]) => {
      if (fixed || !readings.some((reading) => reading.device === device)) return;
      setNow((before) => (serviceNow() - before >= patience * 0.9 ? serviceNow() : before));
    },
    [fixed, device, patience],
  );
  useLiveReadings(onReadings);
  return span;
}

/** The history of some signals of a device over the time shown. */
export function useHistory(
  site: string,
  device: string,
  signals: (SignalNow & { asked?: string })[],
  shown: Shown,
) {
  const span = useSpan(device, shown);
  const results = useQueries({
    queries: signals.map((signal) => ({
      ...summary(site, device, signal.signal, span, BUCKETS, signal.asked),
      gcTime: 10_000,
    })),
  });
  const sets = results.map((result) => result.data);
  const error = results.find((result) => result.error)?.error;
  const key = results.map((result) => result.dataUpdatedAt).join();
  const bySignal = useMemo(() => {
    const map = new Map<string, SummarySet | undefined>();
    signals.forEach((signal, i) => map.set(signal.signal, sets[i]));
    return map;
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `key` changes whenever `sets` do
  }, [signals, key]);
  return { span, bySignal, error, isPending: results.some((result) => result.isPending) };
}
