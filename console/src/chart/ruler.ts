import type { Span } from '../api/pastQueries';
import type { SignalSpan } from '../api/schema';

/** What of the window is moved: all of it, its begin, or its end. */
export type Grip = 'window' | 'begin' | 'end';

/** The shortest time that can be set by dragging an end, as a share of all there is. */
const LEAST = 0.002;

/** From the first reading of some signals up to now, or the last one if that is later; nothing without readings. */
export function wholeOf(spans: SignalSpan[], now: number): Span | undefined {
  const times = (name: 'first_at' | 'last_at') =>
    spans.flatMap((span) => (span[name] === undefined ? [] : [Date.parse(span[name])]));
  const [firsts, lasts] = [times('first_at'), times('last_at')];
  if (firsts.length === 0) return undefined;
  const to = Math.max(now, ...lasts);
  return { from: Math.min(...firsts, to - 60_000), to };
}

/** Where a time lies in the whole, from 0 to 1; what lies outside is at its end. */
export const placeOf = (at: number, { from, to }: Span): number =>
  Math.min(1, Math.max(0, (at - from) / (to - from)));

/** The window after one of its grips was moved by so much of the whole: it stays within it and keeps some length. */
export function movedBy(span: Span, grip: Grip, share: number, whole: Span): Span {
  const length = whole.to - whole.from;
  const by = share * length;
  const least = LEAST * length;
  if (grip === 'begin') return { from: clamp(span.from + by, whole.from, span.to - least), to: span.to };
  if (grip === 'end') return { from: span.from, to: clamp(span.to + by, span.from + least, whole.to) };
  const wide = Math.min(span.to - span.from, length);
  const from = clamp(span.from + by, whole.from, whole.to - wide);
  return { from, to: from + wide };
}

/** The window of the same length with its middle at a place of the whole. */
export const centredAt = (span: Span, place: number, whole: Span): Span => {
  const middle = whole.from + place * (whole.to - whole.from);
  const share = (middle - (span.from + span.to) / 2) / (whole.to - whole.from);
  return movedBy(span, 'window', share, whole);
};

/** How far an arrow key moves a grip, as a share of the whole. */
export function stepOf(key: string, span: Span, whole: Span): number | undefined {
  const page = (span.to - span.from) / (whole.to - whole.from);
  const steps: Partial<Record<string, number>> = {
    ArrowLeft: -page / 10,
    ArrowDown: -page / 10,
    ArrowRight: page / 10,
    ArrowUp: page / 10,
    PageDown: -page,
    PageUp: page,
    Home: -1,
    End: 1,
  };
  return steps[key];
}

const clamp = (value: number, low: number, high: number) =>
  Math.max(low, Math.min(Math.max(low, high), value));
