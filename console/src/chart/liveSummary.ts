import type { Bucket, SummarySet } from '../api/schema';

/** What is drawn of a bucket. */
export type Piece = Pick<Bucket, 'start_ms' | 'min' | 'max' | 'mean' | 'count'>;

/** Buckets of one width, in order of time. */
export interface Pieces {
  width_s: number;
  pieces: Piece[];
}

/** A reading that the live stream brought; a flag counts as 0 or 1. */
export interface LivePoint {
  at: number;
  value: number;
}

/** Times that are remembered so that one that comes again is noticed. */
const REMEMBERED = 1000;

/**
 * A summary that grows with what the stream brings, so that the service is not asked again for
 * each reading. The service puts readings into buckets that begin at whole multiples of their
 * width; new ones are put into the same.
 */
export class LiveSummary {
  readonly width_s: number;
  #pieces: Piece[];
  /** The last reading that the service knew when it was asked. */
  #last: number;
  #seen = new Set<number>();

  constructor(set: SummarySet) {
    this.width_s = set.width_s ?? 0;
    this.#pieces = [...set.buckets];
    this.#last = set.last_at === undefined ? -Infinity : Date.parse(set.last_at);
  }

  /**
   * Takes a reading in. Says `false` if only the service can tell what the buckets are with it:
   * it is no later than what was known, or is there already and was corrected.
   */
  take({ at, value }: LivePoint): boolean {
    if (this.width_s === 0 || at <= this.#last || this.#seen.has(at)) return false;
    this.#seen.add(at);
    if (this.#seen.size > REMEMBERED) this.#seen.delete(this.#seen.values().next().value ?? 0);
    const width = this.width_s * 1000;
    const start = Math.floor(at / width) * width;
    const place = this.#pieces.findLastIndex((piece) => piece.start_ms <= start);
    const there = this.#pieces[place];
    if (there?.start_ms === start) {
      const count = there.count + 1;
      this.#pieces[place] = {
        start_ms: start,
        min: Math.min(there.min, value),
        max: Math.max(there.max, value),
        mean: there.mean + (value - there.mean) / count,
        count,
      };
    } else {
      this.#pieces.splice(place + 1, 0, { start_ms: start, min: value, max: value, mean: value, count: 1 });
    }
    return true;
  }

  /** What lies after a time; what lies before is forgotten. */
  from(time: number): Pieces {
    const width = this.width_s * 1000;
    const first = this.#pieces.findIndex((piece) => piece.start_ms + width > time);
    this.#pieces = first < 0 ? [] : this.#pieces.slice(first);
    return { width_s: this.width_s, pieces: this.#pieces };
  }
}
