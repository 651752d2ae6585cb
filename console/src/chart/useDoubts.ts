import { useQueries } from '@tanstack/react-query';
import { useMemo } from 'react';
import { doubtful, type Asked } from '../api/pastQueries';
import { keyOf, type Drawn } from './drawn';
import type { Doubt } from './paneDraw';

/** Readings of some signals that are not good. */
export interface Doubts {
  of: Map<string, Doubt[]>;
  /** Not all could be told. */
  isCut: boolean;
}

/** Asks for readings that are not good, by `device/signal`; for none if they are not wanted. */
export function useDoubts(site: string, signals: Drawn[], asked: Asked, isWanted: boolean): Doubts {
  const results = useQueries({
    queries: (isWanted ? signals : []).map((signal) =>
      doubtful(site, signal.device, signal.signal, asked, signal.asked),
    ),
  });
  const answers = results.map((result) => result.dataUpdatedAt).join();
  return useMemo(() => {
    const of = new Map<string, Doubt[]>();
    results.forEach(({ data }, i) => {
      const signal = signals[i];
      if (data && signal) of.set(keyOf(signal), data.items.flatMap(doubt));
    });
    return { of, isCut: results.some(({ data }) => data?.next !== undefined) };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `answers` changes whenever `results` do
  }, [signals, answers]);
}

function doubt(reading: { at: string; value: unknown; quality?: string }): Doubt[] {
  const value = Number(reading.value);
  const isShown = typeof reading.value === 'number' || typeof reading.value === 'boolean';
  return isShown ? [{ at: Date.parse(reading.at), value, isRejected: reading.quality === 'rejected' }] : [];
}
