import { useMemo } from 'react';
import { useSearchParams } from 'react-router';
import { readArrangement, type Arrangement } from './arrange';
import { useSteady } from './useSteady';
import { readEarlier, writeEarlier, type Earlier } from './earlier';

/** What is shown of a chart's signals, besides which time. */
export interface Look {
  panes: Arrangement;
  /** The earlier time that lies under the lines. */
  under: Earlier | undefined;
  nights: boolean;
  /** Whether readings that are not good are shown. */
  doubts: boolean;
  /** Begin of a second time of the same length that is shown beside the first, in milliseconds. */
  beside: number | undefined;
  /** Zone of the clocks, if not the site's. */
  zone: string | undefined;
}

/** Reads how a chart looks from an address. */
export const readLook = (params: URLSearchParams): Look => ({
  panes: readArrangement(params),
  under: readEarlier(params),
  nights: params.get('nights') === '1',
  doubts: params.get('doubts') === '1',
  beside: momentOf(params.get('beside')),
  zone: zoneOf(params.get('zone')),
});

/** The address with another look. */
export function writeLook(params: URLSearchParams, part: Partial<Look>): URLSearchParams {
  const look = { ...readLook(params), ...part };
  const next = new URLSearchParams(params);
  const put = (name: string, value: string | undefined) =>
    value === undefined ? next.delete(name) : next.set(name, value);
  put('panes', look.panes === 'unit' ? undefined : look.panes);
  put('under', look.under === undefined ? undefined : writeEarlier(look.under));
  put('nights', look.nights ? '1' : undefined);
  put('doubts', look.doubts ? '1' : undefined);
  put('beside', look.beside === undefined ? undefined : String(Math.round(look.beside)));
  put('zone', look.zone);
  return next;
}

function momentOf(text: string | null): number | undefined {
  const at = Number(text);
  return text !== null && at > 0 && at < 8.64e15 ? at : undefined;
}

function zoneOf(name: string | null): string | undefined {
  if (name === null) return undefined;
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).resolvedOptions().timeZone && name;
  } catch {
    return undefined;
  }
}

/** How a chart looks: the address holds it. */
export function useLook() {
  const [params, setParams] = useSearchParams();
  const look = useMemo(() => readLook(params), [params]);
  const onLook = useSteady((part: Partial<Look>) =>
    setParams((old) => writeLook(old, part), { replace: true, preventScrollReset: true }),
  );
  return { look, onLook };
}
