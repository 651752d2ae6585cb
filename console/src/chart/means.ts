import { keyOf, type Drawn } from './drawn';
import type { Pieces } from './liveSummary';

/** What the readings of a signal in a time come to. */
export interface Told {
  mean: number;
  min: number;
  max: number;
  count: number;
}

/** Mean and extremes of all readings in some buckets; nothing without readings. */
export function toldOf(set: Pieces | undefined): Told | undefined {
  const pieces = set?.pieces ?? [];
  const count = pieces.reduce((sum, piece) => sum + piece.count, 0);
  if (count === 0) return undefined;
  return {
    mean: pieces.reduce((sum, piece) => sum + piece.mean * piece.count, 0) / count,
    min: Math.min(...pieces.map(({ min }) => min)),
    max: Math.max(...pieces.map(({ max }) => max)),
    count,
  };
}

type Sets = Map<string, Pieces | undefined>;

/** What each signal comes to in two times, and how far the second mean lies from the first. */
export const differences = (signals: Drawn[], first: Sets, second: Sets) =>
  signals.map((signal) => {
    const [left, right] = [toldOf(first.get(keyOf(signal))), toldOf(second.get(keyOf(signal)))];
    return { signal, left, right, change: left && right ? right.mean - left.mean : undefined };
  });
