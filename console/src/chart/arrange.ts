import { isDrawn } from '../format/number';
import { groupBy } from '../groupBy';
import type { SignalNow } from '../api/schema';
import { keyOf, type Drawn } from './drawn';
import type { Pieces } from './liveSummary';

/** Lines that one pane can show and still be read. */
export const MOST_LINES = 5;

/** How signals are put into panes. */
export const ARRANGEMENTS = [
  { id: 'unit', label: 'By unit' },
  { id: 'range', label: 'By unit and range' },
  { id: 'pair', label: 'Two units a pane' },
  { id: 'each', label: 'One each' },
] as const;

export type Arrangement = (typeof ARRANGEMENTS)[number]['id'];

/** Reads `?panes=each`. */
export const readArrangement = (params: URLSearchParams): Arrangement =>
  ARRANGEMENTS.find(({ id }) => id === params.get('panes'))?.id ?? 'unit';

/** What one pane shows: signals of one unit on its left axis, and maybe those of another on its right. */
export interface PaneSignals<T = Drawn> {
  left: T[];
  right: T[];
}

type Sets = Map<string, Pieces | undefined>;

/** Signals in panes, as they are to be arranged; `sets` tell how far apart their values are. */
export function arrange(signals: Drawn[], how: Arrangement, sets: Sets): PaneSignals[] {
  const groups = unitsOf(signals);
  const alone = (group: Drawn[]) => ({ left: group, right: [] });
  if (how === 'each') return groups.flat().map((signal) => alone([signal]));
  if (how === 'range')
    return groups
      .flatMap((group) => byRange(group, sets))
      .flatMap(atMost)
      .map(alone);
  if (how === 'pair') return pairs(groups.flatMap(atMost));
  return groups.flatMap(atMost).map(alone);
}

/** Whether some pane would have to be split because it has too many lines. */
export const isCrowded = (signals: SignalNow[]): boolean =>
  unitsOf(signals).some((group) => group.length > MOST_LINES);

function unitsOf<T extends SignalNow>(signals: T[]): T[][] {
  const unit = (signal: T) => (signal.type === 'flag' ? 'flag' : `unit ${signal.unit ?? ''}`);
  return [...groupBy(signals.filter(isDrawn), unit).values()];
}

function atMost<T>(group: T[]): T[][] {
  const parts: T[][] = [];
  for (let i = 0; i < group.length; i += MOST_LINES) parts.push(group.slice(i, i + MOST_LINES));
  return parts;
}

/** Those whose values overlap stay together; one without values stays with the first. */
function byRange(group: Drawn[], sets: Sets): Drawn[][] {
  const ranged = group
    .map((signal) => ({ signal, range: rangeOf(sets.get(keyOf(signal))) }))
    .toSorted((a, b) => (a.range?.low ?? -Infinity) - (b.range?.low ?? -Infinity));
  const parts: Drawn[][] = [];
  let highest = -Infinity;
  for (const { signal, range } of ranged) {
    const last = parts.at(-1);
    if (last === undefined || (range && highest > -Infinity && range.low > highest)) parts.push([signal]);
    else last.push(signal);
    if (range) highest = Math.max(highest, range.high);
  }
  // Within a part, and from part to part, the order in which they were chosen is kept.
  const place = (signal: Drawn) => group.indexOf(signal);
  return parts
    .map((part) => part.toSorted((a, b) => place(a) - place(b)))
    .toSorted((a, b) => Math.min(...a.map(place)) - Math.min(...b.map(place)));
}

function rangeOf(set: Pieces | undefined): { low: number; high: number } | undefined {
  if (set === undefined || set.pieces.length === 0) return undefined;
  let [low, high] = [Infinity, -Infinity];
  for (const piece of set.pieces) {
    low = Math.min(low, piece.min);
    high = Math.max(high, piece.max);
  }
  return { low, high };
}

/** Two groups of numbers share a pane, each with an axis of its own; flags keep theirs. */
function pairs(groups: Drawn[][]): PaneSignals[] {
  const panes: PaneSignals[] = [];
  for (const group of groups) {
    const last = panes.at(-1);
    const isNumber = group[0]?.type === 'number';
    const fits = last?.right.length === 0 && last.left[0]?.type === 'number';
    if (isNumber && last && fits && last.left.length + group.length <= MOST_LINES) last.right = group;
    else panes.push({ left: group, right: [] });
  }
  return panes;
}
