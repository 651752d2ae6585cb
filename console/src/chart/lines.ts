import type { Drawn } from './drawn';
import { fullName, keyOf, shortNames } from './drawn';
import type { PaneSignals } from './arrange';
import type { Pieces } from './liveSummary';

/** One line of a pane. */
export interface Line {
  signal: Drawn;
  /** Its number among the lines of the pane, which decides colour and dashes. */
  tone: number;
  side: 'left' | 'right';
  /** What tells it from the others, in short. */
  name: string;
  /** Which earlier time it shows, such as `a week earlier`; absent: the time of the axis. */
  under?: string;
}

/** The lines of a pane; those of an earlier time follow those of the time itself. */
export function linesOf({ left, right }: PaneSignals, under?: string): Line[] {
  const names = shortNames([...left, ...right]);
  const own: Line[] = [...left, ...right].map((signal, i) => ({
    signal,
    tone: i,
    side: i < left.length ? 'left' : 'right',
    name: names[i] ?? fullName(signal),
  }));
  return under === undefined ? own : [...own, ...own.map((line) => ({ ...line, under }))];
}

/** What is known of each line; an earlier time is moved under the time of the axis. */
export function setsOf(
  lines: Line[],
  sets: Map<string, Pieces | undefined>,
  earlier: { sets: Map<string, Pieces | undefined>; shift_ms: number } | undefined,
): (Pieces | undefined)[] {
  return lines.map(({ signal, under }) =>
    under === undefined
      ? sets.get(keyOf(signal))
      : moved(earlier?.sets.get(keyOf(signal)), earlier?.shift_ms ?? 0),
  );
}

function moved(set: Pieces | undefined, shift_ms: number): Pieces | undefined {
  if (set === undefined) return undefined;
  return {
    width_s: set.width_s,
    pieces: set.pieces.map((piece) => ({ ...piece, start_ms: piece.start_ms + shift_ms })),
  };
}
