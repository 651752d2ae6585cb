import type { SignalNow } from '../api/schema';
import { fullName, paneName } from './drawn';
import type { Piece, Pieces } from './liveSummary';
import { fixed, withUnit } from '../format/number';
import { shortTime } from '../format/time';

/** Columns of a chart: times in seconds, and for each signal mean, min, max. */
export interface Columns {
  times: number[];
  means: (number | null)[][];
  mins: (number | null)[][];
  maxs: (number | null)[][];
  /** For each signal the places of buckets between two gaps: no line leads to them. */
  lone: number[][];
}

/**
 * Puts summaries of several signals on one axis of time; `intervals` are the seconds after which
 * each reports. A time longer than two
 * buckets and two and a half intervals without a reading is a gap and stays open;
 * between bursts of a waveform, longer than two buckets.
 */
export function columns(sets: (Pieces | undefined)[], intervals: number[]): Columns {
  const rows = new Map<number, (Piece | null | undefined)[]>();
  const row = (ms: number) => {
    const known = rows.get(ms) ?? new Array<Piece | null | undefined>(sets.length).fill(undefined);
    rows.set(ms, known);
    return known;
  };
  sets.forEach((set, i) => {
    if (set === undefined) return;
    const { width_s, pieces } = set;
    const interval = intervals[i] ?? 0;
    // Bursts of samples far closer together than messages are lines of their own.
    const usual = isWaveform(set, interval) ? 4 * usualStep(set) : 2_500 * interval;
    const longest = Math.max(2_000 * width_s, usual);
    pieces.forEach((piece, at) => {
      const centre = piece.start_ms + width_s * 500;
      row(centre)[i] = piece;
      const next = pieces[at + 1];
      if (next && next.start_ms - piece.start_ms > longest) row(centre + width_s * 1000)[i] = null;
    });
  });
  const times = [...rows.keys()].sort((a, b) => a - b);
  const inOrder = sets.map((_, i) => times.map((time) => rows.get(time)?.[i]));
  // `undefined` lets the line run on, `null` breaks it: that is uPlot's way.
  const pick = (of: (piece: Piece) => number) =>
    inOrder.map((column) => column.map((piece) => (piece ? of(piece) : piece))) as (number | null)[][];
  return {
    times: times.map((ms) => ms / 1000),
    means: pick((piece) => piece.mean),
    mins: pick((piece) => piece.min),
    maxs: pick((piece) => piece.max),
    lone: inOrder.map(lonePlaces),
  };
}

/**
 * Whether the samples of a signal lie far closer together than its messages, which come so many seconds apart:
 * several in a bucket, or buckets close together.
 */
export const isWaveform = (set: Pieces, interval_s: number): boolean =>
  median(set.pieces.map(({ count }) => count)) > 4 * Math.max(1, set.width_s / interval_s) ||
  usualStep(set) < 50 * interval_s;

/** How far apart buckets with readings usually are, in milliseconds. */
export const usualStep = ({ pieces }: Pieces): number =>
  pieces.length < 2
    ? Infinity
    : median(pieces.slice(1).map(({ start_ms }, i) => start_ms - (pieces[i]?.start_ms ?? 0)));

/** Places of pieces with a gap, or nothing at all, on both sides. */
function lonePlaces(column: (Piece | null | undefined)[]): number[] {
  const told = column.flatMap((piece, place) => (piece === undefined ? [] : [{ piece, place }]));
  return told.flatMap(({ piece, place }, i) =>
    piece && !told[i - 1]?.piece && !told[i + 1]?.piece ? [place] : [],
  );
}

function median(numbers: number[]): number {
  return numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)] ?? 0;
}

/** What happened to a signal over the time shown, in a sentence. */
export function story(
  signal: SignalNow & { of?: string },
  set: Pieces | undefined,
  zone: string,
  now: number,
): string {
  const name = fullName(signal);
  const [first, last] = [set?.pieces[0], set?.pieces.at(-1)];
  if (!set || !first || !last) return `${name}: no readings in this time.`;
  if (signal.type === 'flag') {
    const share =
      set.pieces.reduce((sum, b) => sum + b.mean * b.count, 0) /
      set.pieces.reduce((sum, b) => sum + b.count, 0);
    return `${name}: yes in ${fixed(share * 100, 1)} % of its readings.`;
  }
  const text = (value: number) => withUnit(fixed(value, signal.decimals), signal.symbol);
  const lowest = set.pieces.reduce((a, b) => (b.min < a.min ? b : a));
  const highest = set.pieces.reduce((a, b) => (b.max > a.max ? b : a));
  const change = last.mean - first.mean;
  const moved =
    Number(change.toFixed(signal.decimals)) === 0
      ? 'ended where it began'
      : `${change > 0 ? 'rose' : 'fell'} ${text(Math.abs(change))}`;
  // No finer than the buckets, and to the minute where they are some seconds long.
  const step = set.width_s >= 5 ? 60_000 : set.width_s * 1_000;
  const at = (bucket: Piece) => shortTime(bucket.start_ms, zone, now, step);
  return `${name} ${moved}, lowest ${text(lowest.min)} at ${at(lowest)}, highest ${text(highest.max)} at ${at(highest)}.`;
}

type Named = Pick<SignalNow, 'name' | 'symbol'> & { of?: string };

/** Title of a pane's axis: quantity and unit. */
export function axisTitle(pane: Named[]): string {
  const names = paneName(pane);
  const symbol = pane[0]?.symbol ?? '';
  return symbol === '' ? names : `${names} (${symbol})`;
}

/** The same beside the axis, where there is less room: the unit alone if the names do not fit. */
export function sideTitle(pane: Named[]): string {
  const title = axisTitle(pane);
  if (title.length <= 24) return title;
  const symbol = pane[0]?.symbol ?? '';
  return symbol === '' ? `${pane.length} signals` : `in ${symbol}`;
}
