import { useQueryClient } from '@tanstack/react-query';
import { signalSpan, type Span } from '../api/pastQueries';
import { useSite } from '../components/siteContext';
import { serviceNow } from '../format/clock';
import type { Drawn } from './drawn';

/** Asks from when to when there are readings of some signals; nothing if there are none. */
export function useAllThereIs(signals: Drawn[]): () => Promise<Span | undefined> {
  const { code } = useSite();
  const cache = useQueryClient();
  return async () => {
    const spans = await Promise.all(
      signals.map(({ device, signal }) => cache.fetchQuery(signalSpan(code, device, signal))),
    );
    const times = (name: 'first_at' | 'last_at') =>
      spans.flatMap((span) => (span[name] === undefined ? [] : [Date.parse(span[name])]));
    const [firsts, lasts] = [times('first_at'), times('last_at')];
    if (firsts.length === 0) return undefined;
    const from = Math.min(...firsts);
    return { from, to: Math.max(serviceNow(), ...lasts, from + 1000) };
  };
}
