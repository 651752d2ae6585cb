import type { Span } from '../../api/pastQueries';
import type { Piece, Pieces } from '../../chart/liveSummary';
import { usualStep } from '../../chart/series';

/** Two octaves, which everyone tells apart: the least value sounds as the low A, the greatest as the high one. */
const LOW_HZ = 220;
const OCTAVES = 2;

/** A tone from a moment on, in seconds after the begin; without a pitch it is silence. */
export interface Tone {
  at: number;
  hz: number | null;
}

/** What is said when the sound gets there. */
export interface Said {
  at: number;
  kind: 'lowest' | 'highest';
  piece: Piece;
}

/** How high a value sounds between the least and the greatest. Equal steps of value are equal steps of pitch. */
export function pitch(value: number, low: number, high: number): number {
  const share = high > low ? (value - low) / (high - low) : 0.5;
  return LOW_HZ * 2 ** (OCTAVES * share);
}

/** A signal's course as tones over so many seconds: gaps are silent, and the extremes are said when they sound. */
export function courseOf(set: Pieces, span: Span, seconds: number): { tones: Tone[]; said: Said[] } {
  const pieces = set.pieces.filter(
    ({ start_ms }) => start_ms < span.to && start_ms + set.width_s * 1000 > span.from,
  );
  if (pieces.length === 0) return { tones: [], said: [] };
  const when = (ms: number) =>
    ((Math.min(Math.max(ms, span.from), span.to) - span.from) / (span.to - span.from)) * seconds;
  const means = pieces.map(({ mean }) => mean);
  const [low, high] = [Math.min(...means), Math.max(...means)];
  const step = usualStep({ ...set, pieces });
  const usual = Number.isFinite(step) ? step : set.width_s * 1000;
  const tones = pieces.flatMap((piece, i): Tone[] => {
    const tone = { at: when(piece.start_ms), hz: pitch(piece.mean, low, high) };
    const next = pieces[i + 1];
    const isLast = next === undefined || next.start_ms - piece.start_ms > 3 * usual;
    const end = piece.start_ms + Math.max(usual, set.width_s * 1000);
    return isLast ? [tone, { at: when(end), hz: null }] : [tone];
  });
  const least = pieces.reduce((a, b) => (b.min < a.min ? b : a));
  const most = pieces.reduce((a, b) => (b.max > a.max ? b : a));
  const said: Said[] = [
    { at: when(least.start_ms), kind: 'lowest', piece: least },
    { at: when(most.start_ms), kind: 'highest', piece: most },
  ];
  return { tones, said: said.toSorted((a, b) => a.at - b.at) };
}
