import { useMemo, useState } from 'react';
import type { Asked, Span } from '../../api/pastQueries';
import { keyOf, type Drawn } from '../../chart/drawn';
import type { Pieces } from '../../chart/liveSummary';
import { isWaveform } from '../../chart/series';
import { doubtfulSpans } from '../../chart/stays';
import { useSame } from '../../chart/useSame';
import { useStays } from '../../chart/useStays';

/**
 * Those of some signals whose samples come in bursts. One that was seen to do so stays among them where it is
 * silent.
 */
export function useWaveforms(signals: Drawn[], sets: Map<string, Pieces | undefined>): Drawn[] {
  const [known, setKnown] = useState<string[]>([]);
  const found = signals.filter((signal) => {
    const set = sets.get(keyOf(signal));
    return signal.type === 'number' && set !== undefined && isWaveform(set, signal.interval_s);
  });
  const fresh = found.map(keyOf).filter((key) => !known.includes(key));
  if (fresh.length > 0) setKnown([...known, ...fresh]);
  return useSame(signals.filter((signal) => known.includes(keyOf(signal))));
}

/**
 * When readings were not to be trusted, by `device/signal`: of all signals if that is wanted, else only of
 * waveforms, whose samples are too many to be marked one by one.
 */
export function useGreys(
  site: string,
  signals: Drawn[],
  waveforms: Drawn[],
  asked: Asked,
  isWanted: boolean,
): Map<string, Span[]> {
  const of = useSame(isWanted ? signals : waveforms);
  const stays = useStays(site, of, asked, 'quality');
  return useMemo(() => new Map([...stays.of].map(([key, found]) => [key, doubtfulSpans(found)])), [stays]);
}
