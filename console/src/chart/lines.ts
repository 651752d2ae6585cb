import type { Drawn } from './drawn';
import { fullName, keyOf, shortNames } from './drawn';
import type { PaneSignals } from './arrange';
import type { Span } from '../api/pastQueries';
import type { Pieces } from './liveSummary';
import type { Doubts } from './useDoubts';
import type { Ranges } from './paneOptions';
import { roomFor } from './picture';
import { axisTitle, story } from './series';

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

type Sets = Map<string, Pieces | undefined>;

/** What is known of each line. */
export const setsOf = (lines: Line[], sets: Sets, earlier: Sets | undefined): (Pieces | undefined)[] =>
  lines.map(({ signal, under }) => (under === undefined ? sets : earlier)?.get(keyOf(signal)));

/** What is known of an earlier time, moved under the time of the axis. */
export const moved = ({ width_s, pieces }: Pieces, shift_ms: number): Pieces => ({
  width_s,
  pieces: pieces.map((piece) => ({ ...piece, start_ms: piece.start_ms + shift_ms })),
});

/** What stands on each axis. */
export function titleOf(lines: Line[]): string {
  const own = ownOf(lines);
  const on = (side: Line['side']) => own.filter((line) => line.side === side).map(({ signal }) => signal);
  const [left, right] = [axisTitle(on('left')), axisTitle(on('right'))];
  return right === '' ? left : `${left}; right: ${right}`;
}

/** What the lines of a pane say, in sentences. */
export const storyOf = (lines: Line[], sets: (Pieces | undefined)[], zone: string, end: number): string =>
  ownOf(lines)
    .map(({ signal }, i) => story(signal, sets[i], zone, end))
    .join(' ');

/** From least to most of each axis over several times. */
export function rangesOf(lines: Line[], times: Sets[]): Ranges {
  const of = (side: Line['side']) =>
    roomFor(
      ownOf(lines)
        .filter((line) => line.side === side)
        .flatMap(({ signal }) => times.flatMap((sets) => sets.get(keyOf(signal))?.pieces ?? []))
        .flatMap(({ min, max }) => [min, max]),
    );
  return { left: of('left'), right: of('right') };
}

/** What of some signals, by `device/signal`, belongs to the lines of a pane: doubts line by line, greys of all. */
export const behindOf = (lines: Line[], doubts: Doubts, greys: Map<string, Span[]>) => ({
  doubts: lines.map(({ signal }) => doubts.of.get(keyOf(signal)) ?? []),
  greys: ownOf(lines).flatMap(({ signal }) => greys.get(keyOf(signal)) ?? []),
});

/** Those of the time itself. */
export const ownOf = (lines: Line[]): Line[] => lines.filter(({ under }) => under === undefined);
