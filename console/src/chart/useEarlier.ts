import { useQueries } from '@tanstack/react-query';
import { useMemo } from 'react';
import { summary, type Span } from '../api/pastQueries';
import { keyOf, type Drawn } from './drawn';
import { moved } from './lines';
import { earlierWords, shiftOf, type Earlier } from './earlier';
import type { Pieces } from './liveSummary';
import { BUCKETS } from './useHistory';

/** The histories that lie under a chart. */
export interface EarlierHistory {
  words: string;
  /** Moved under the time of the axis. */
  sets: Map<string, Pieces | undefined>;
  error: unknown;
}

/**
 * An earlier time under the one that is shown. A time that moves on is asked for in steps of a twentieth of its
 * length, and one such step further than is needed.
 */
export function useEarlier(
  site: string,
  signals: Drawn[],
  span: Span,
  earlier: Earlier | undefined,
  zone: string,
): EarlierHistory | undefined {
  const length = span.to - span.from;
  const step = length / 20;
  const from = Math.floor(span.from / step) * step;
  const shift_ms = earlier === undefined ? 0 : shiftOf(earlier, from, zone);
  const asked = { from: from - shift_ms, to: from - shift_ms + length + step };
  const results = useQueries({
    queries: (earlier === undefined ? [] : signals).map((signal) => ({
      ...summary(site, signal.device, signal.signal, asked, BUCKETS, signal.asked),
      gcTime: 10_000,
    })),
  });
  const answers = results.map((result) => result.dataUpdatedAt).join();
  const sets = useMemo(
    () =>
      new Map<string, Pieces | undefined>(
        results.map((result, i) => [
          keyOf(signals[i] as Drawn),
          result.data && moved({ width_s: result.data.width_s ?? 0, pieces: result.data.buckets }, shift_ms),
        ]),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `answers` changes whenever `results` do
    [signals, answers, shift_ms],
  );
  const words = earlier === undefined ? undefined : earlierWords(earlier);
  const error = results.find((result) => result.error)?.error;
  return useMemo(() => (words === undefined ? undefined : { words, sets, error }), [words, sets, error]);
}
