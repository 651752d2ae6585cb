import { useQueryClient } from '@tanstack/react-query';
import { signalSpans, type Span } from '../api/pastQueries';
import { useSite } from '../components/siteContext';
import { serviceNow } from '../format/clock';
import { keyOf, type Drawn } from './drawn';
import { wholeOf } from './ruler';

/** Asks from when to when there are readings of some signals; nothing if there are none. */
export function useAllThereIs(signals: Drawn[]): () => Promise<Span | undefined> {
  const { code } = useSite();
  const cache = useQueryClient();
  return async () => {
    const spans = await cache.fetchQuery(signalSpans(code, signals.map(keyOf)));
    return wholeOf(spans, serviceNow());
  };
}
