import type { Span } from '../api/pastQueries';

const MINUTE = 60_000;
const DAY = 1440 * MINUTE;

/** The spans of time offered on a chart, up to now. */
export const SPANS = [
  { id: '10s', label: '10 s', words: 'ten seconds', ms: MINUTE / 6 },
  { id: '1m', label: '1 min', words: 'minute', ms: MINUTE },
  { id: '10m', label: '10 min', words: 'ten minutes', ms: 10 * MINUTE },
  { id: '1h', label: '1 h', words: 'hour', ms: 60 * MINUTE },
  { id: '6h', label: '6 h', words: 'six hours', ms: 360 * MINUTE },
  { id: '1d', label: '1 day', words: 'day', ms: DAY },
  { id: '1w', label: '1 week', words: 'week', ms: 7 * DAY },
  { id: '1mo', label: '1 month', words: 'month', ms: 31 * DAY },
  { id: '1y', label: '1 year', words: 'year', ms: 366 * DAY },
] as const;

export type SpanId = (typeof SPANS)[number]['id'];

/** What the address says is shown: a span up to now, or a fixed one. */
export type Shown = { id: SpanId; fixed?: undefined } | { id?: undefined; fixed: Span };

/** Reads `?span=1d`, or `?from=…&to=…` in milliseconds. */
export function readShown(params: URLSearchParams): Shown {
  const [from, to] = [Number(params.get('from')), Number(params.get('to'))];
  if (from > 0 && to > from && to < 8.64e15) return { fixed: { from, to } };
  const id = SPANS.find((span) => span.id === params.get('span'))?.id ?? '1d';
  return { id };
}

/** Writes what is shown into the address. */
export function writeShown(params: URLSearchParams, shown: Shown): URLSearchParams {
  const next = new URLSearchParams(params);
  for (const name of ['span', 'from', 'to']) next.delete(name);
  if (shown.fixed) {
    next.set('from', String(Math.round(shown.fixed.from)));
    next.set('to', String(Math.round(shown.fixed.to)));
  } else {
    next.set('span', shown.id);
  }
  return next;
}

/** How long a span is, in milliseconds. */
export const lengthOf = (id: SpanId): number => (SPANS.find((other) => other.id === id) ?? SPANS[5]).ms;

/** The stretch of time a span up to `now` covers. */
export const spanUpTo = (id: SpanId, now: number): Span => ({ from: now - lengthOf(id), to: now });
