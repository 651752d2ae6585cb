import type { Bucket, SignalNow, SummarySet } from '../../api/schema';
import { fixed, isDrawn, withUnit } from '../../format/number';
import { shortTime } from '../../format/time';
import { groupBy } from '../../groupBy';

/** Columns of a chart: times in seconds, and for each signal mean, min, max. */
export interface Columns {
  times: number[];
  means: (number | null)[][];
  mins: (number | null)[][];
  maxs: (number | null)[][];
}

/**
 * Puts summaries of several signals on one axis of time. A time longer than two
 * buckets and two and a half intervals without a reading is a gap and stays open;
 * between bursts of a waveform, longer than two buckets.
 */
export function columns(sets: (SummarySet | undefined)[], intervalSeconds: number): Columns {
  const rows = new Map<number, (Bucket | null | undefined)[]>();
  const row = (ms: number) => {
    const known = rows.get(ms) ?? new Array<Bucket | null | undefined>(sets.length).fill(undefined);
    rows.set(ms, known);
    return known;
  };
  sets.forEach((set, i) => {
    // Buckets of the calendar have no one width; they are for tables.
    if (set?.width_s === undefined) return;
    const { width_s } = set;
    // Bursts of samples far closer together than messages are lines of their own.
    const isBursts = median(set.buckets.map((b) => b.count)) > 4 * Math.max(1, width_s / intervalSeconds);
    const longest = Math.max(2 * width_s, isBursts ? 0 : 2.5 * intervalSeconds) * 1000;
    set.buckets.forEach((bucket, at) => {
      const centre = bucket.start_ms + width_s * 500;
      row(centre)[i] = bucket;
      const next = set.buckets[at + 1];
      if (next && next.start_ms - bucket.start_ms > longest) row(centre + width_s * 1000)[i] = null;
    });
  });
  const times = [...rows.keys()].sort((a, b) => a - b);
  const pick = (of: (bucket: Bucket) => number) =>
    // `undefined` lets the line run on, `null` breaks it: that is uPlot's way.
    sets.map((_, i) =>
      times.map((time) => {
        const bucket = rows.get(time)?.[i];
        return bucket ? of(bucket) : bucket;
      }),
    ) as (number | null)[][];
  return {
    times: times.map((ms) => ms / 1000),
    means: pick((bucket) => bucket.mean),
    mins: pick((bucket) => bucket.min),
    maxs: pick((bucket) => bucket.max),
  };
}

function median(numbers: number[]): number {
  return numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)] ?? 0;
}

/** What happened to a signal over the time shown, in a sentence. */
export function story(signal: SignalNow, set: SummarySet | undefined, zone: string, now: number): string {
  const [first, last] = [set?.buckets[0], set?.buckets.at(-1)];
  if (!set || !first || !last) return `${signal.name}: no readings in this time.`;
  if (signal.type === 'flag') {
    const share =
      set.buckets.reduce((sum, b) => sum + b.mean * b.count, 0) /
      set.buckets.reduce((sum, b) => sum + b.count, 0);
    return `${signal.name}: yes in ${fixed(share * 100, 1)} % of its readings.`;
  }
  const text = (value: number) => withUnit(fixed(value, signal.decimals), signal.symbol);
  const lowest = set.buckets.reduce((a, b) => (b.min < a.min ? b : a));
  const highest = set.buckets.reduce((a, b) => (b.max > a.max ? b : a));
  const change = last.mean - first.mean;
  const moved =
    Number(change.toFixed(signal.decimals)) === 0
      ? 'ended where it began'
      : `${change > 0 ? 'rose' : 'fell'} ${text(Math.abs(change))}`;
  const at = (bucket: Bucket) => shortTime(bucket.start_ms, zone, now);
  return `${signal.name} ${moved}, lowest ${text(lowest.min)} at ${at(lowest)}, highest ${text(highest.max)} at ${at(highest)}.`;
}

/** Signals in panes, those of one unit together, at most five to a pane. */
export function panes<T extends SignalNow>(signals: T[]): T[][] {
  const byUnit = groupBy(signals.filter(isDrawn), (signal) =>
    signal.type === 'flag' ? 'flag' : `unit ${signal.unit ?? ''}`,
  );
  return [...byUnit.values()].flatMap((group) => {
    const parts: T[][] = [];
    for (let i = 0; i < group.length; i += 5) parts.push(group.slice(i, i + 5));
    return parts;
  });
}

/** Title of a pane's axis: quantity and unit. */
export function axisTitle(pane: SignalNow[]): string {
  const names = pane.map((signal) => signal.name).join(', ');
  const symbol = pane[0]?.symbol ?? '';
  return symbol === '' ? names : `${names} (${symbol})`;
}

/** The same beside the axis, where there is less room: the unit alone if the names do not fit. */
export function sideTitle(pane: SignalNow[]): string {
  const title = axisTitle(pane);
  if (title.length <= 36) return title;
  const symbol = pane[0]?.symbol ?? '';
  return symbol === '' ? `${pane.length} signals` : `in ${symbol}`;
}
