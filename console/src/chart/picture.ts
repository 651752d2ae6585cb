import type { Span } from '../api/pastQueries';

/** A place in a picture: its time in milliseconds or its number, and its value. */
export type Place = readonly [x: number, y: number];

/** A stretch along an axis, and what stands beside it. */
export type Across =
  { kind: 'time'; span: Span; zone: string } | { kind: 'number'; low: number; high: number; title: string };

/** Which colour something has: that of the nth line, or one with a meaning. */
export type Tone = number | 'wrong' | 'doubtful' | 'quiet' | 'trace' | 'low';

/** Something drawn. In a line or band `null` is a gap, which stays open; a shade stands behind all. */
export type Layer = Drawing & {
  /** On the axis at the right; absent: on that at the left. */
  side?: 'right';
};

type Drawing =
  | { kind: 'line'; name: string; tone: Tone; places: (Place | null)[]; look?: 'dotted' | 'thick' }
  | { kind: 'band'; tone: Tone; ranges: (readonly [x: number, low: number, high: number] | null)[] }
  | { kind: 'dots'; tone: Tone; places: Place[]; look: 'full' | 'hollow' | 'soft' }
  | { kind: 'bars'; bars: Bar[] }
  | { kind: 'shade'; tone: Tone; spans: Span[] };

/** A bar from the bottom: how full, and what it says. */
export interface Bar {
  from: number;
  to: number;
  /** From 0 to 1; `null` where there is nothing, which is a dot. */
  part: number | null;
  tone: Tone;
  title: string;
}

/** A picture of values as data: what is drawn, and nothing of how. */
export interface Picture {
  across: Across;
  /** From least to most of the values. */
  up: readonly [low: number, high: number];
  /** The same of a second axis at the right, if there is one. */
  right?: readonly [low: number, high: number];
  layers: Layer[];
}

/** The least and greatest of values, a little apart from the edges. */
export function roomFor(values: Iterable<number>): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const value of values) {
    if (value < low) low = value;
    if (value > high) high = value;
  }
  if (low > high) return [0, 1];
  const pad = (high - low) * 0.06 || Math.abs(high) * 0.1 || 1;
  return [low - pad, high + pad];
}

/** The values of lines and bands, which decide how much room there is: dots may lie far off. */
export function* valuesOf(layers: Layer[]): Generator<number> {
  for (const layer of layers) {
    if (layer.kind === 'line') for (const place of layer.places) if (place) yield place[1];
    if (layer.kind === 'band') for (const range of layer.ranges) if (range) yield* [range[1], range[2]];
  }
}

/**
 * A line with its gaps open: a time without places that is twenty times as long as usual, and a
 * fiftieth of the whole.
 */
export function withGaps(places: Place[], span: Span): (Place | null)[] {
  const steps = places.slice(1).map(([at], i) => at - (places[i]?.[0] ?? at));
  const usual = steps.toSorted((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0;
  const longest = Math.max(20 * usual, (span.to - span.from) / 50);
  return places.flatMap((place, i) => ((steps[i - 1] ?? 0) > longest ? [null, place] : [place]));
}

/** Names at the right end of lines, in order of height and at least so far apart. */
export function apart<T extends { y: number }>(labels: T[], distance: number): T[] {
  let lowest = -Infinity;
  return labels
    .toSorted((a, b) => a.y - b.y)
    .map((label) => {
      lowest = Math.max(label.y, lowest + distance);
      return { ...label, y: lowest };
    });
}
