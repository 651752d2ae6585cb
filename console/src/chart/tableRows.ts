import type { Span } from '../api/pastQueries';
import type { Piece, Pieces } from './liveSummary';

/** A time, and what each signal was then. */
export interface TableRow {
  at: number;
  pieces: (Piece | undefined)[];
}

/**
 * What a chart draws, row by row, the newest first. `isSingle` says that each row is single readings, and not
 * buckets of several.
 */
export function tableRows(
  sets: (Pieces | undefined)[],
  { from, to }: Span,
): { rows: TableRow[]; isSingle: boolean } {
  const rows = new Map<number, TableRow>();
  let isSingle = true;
  sets.forEach((set, i) => {
    for (const piece of set?.pieces ?? []) {
      const at = piece.start_ms;
      if (at + (set?.width_s ?? 0) * 1000 <= from || at > to) continue;
      if (piece.count > 1) isSingle = false;
      const row = rows.get(at) ?? { at, pieces: [] };
      row.pieces[i] = piece;
      rows.set(at, row);
    }
  });
  return { rows: [...rows.values()].sort((a, b) => b.at - a.at), isSingle };
}
