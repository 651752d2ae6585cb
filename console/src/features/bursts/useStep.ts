import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { bursts, type Span } from '../../api/pastQueries';
import { serviceNow } from '../../format/clock';
import type { Drawn } from '../../chart/drawn';
import { around } from './around';

/**
 * Steps from burst to burst. While the time shown holds several, the next one is the first of them and the previous
 * one the last; then those after and before it.
 */
export function useStep(site: string, signal: Drawn, span: Span, onZoom: (span: Span) => void) {
  const cache = useQueryClient();
  const [said, setSaid] = useState('');
  const [error, setError] = useState<unknown>();
  const find = async (within: Span, newest: boolean, limit: number) => {
    const { items } = await cache.fetchQuery(
      bursts(site, signal.device, signal.signal, within, { newest, limit }),
    );
    return items;
  };
  const step = async (isBack: boolean) => {
    const here = await find(span, isBack, 2);
    const beyond = isBack ? { from: 1, to: span.from } : { from: span.to, to: serviceNow() + 60_000 };
    const found = here.length > 1 ? here : beyond.from < beyond.to ? await find(beyond, isBack, 1) : [];
    if (found[0]) onZoom(around(found[0]));
    setSaid(found[0] ? '' : isBack ? 'There is no earlier burst.' : 'There is no later burst yet.');
  };
  const run = (isBack: boolean) => {
    setError(undefined);
    step(isBack).catch(setError);
  };
  return { said, error, onBack: () => run(true), onNext: () => run(false) };
}
