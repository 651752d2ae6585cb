import type { Layer, Place, Tone } from './picture';
import type { Columns } from './series';

type Of<K> = Extract<Layer, { kind: K }>;
type MaybeNumber = number | null | undefined;

/** What of a column is drawn at each time: `undefined` where the line runs on, `null` where it is broken. */
function drawn<T>(times: number[], make: (i: number) => T | null | undefined): (T | null)[] {
  return times.flatMap((_, i) => {
    const made = make(i);
    return made === undefined ? [] : [made];
  });
}

/** The band from least to most of a signal of some columns, and its line through the means. */
export function bandOf(columns: Columns, which: number, tone: Tone, name = ''): [Of<'band'>, Of<'line'>] {
  const [mins, maxs, means] = [
    columns.mins[which] ?? [],
    columns.maxs[which] ?? [],
    columns.means[which] ?? [],
  ];
  const at = (i: number) => (columns.times[i] ?? 0) * 1000;
  const told = (value: MaybeNumber): value is null | undefined => typeof value !== 'number';
  const ranges = drawn(columns.times, (i) => {
    const [low, high] = [mins[i], maxs[i]];
    if (told(low) || told(high)) return low === null ? null : undefined;
    return [at(i), low, high] as const;
  });
  const places = drawn<Place>(columns.times, (i) => {
    const mean = means[i];
    return told(mean) ? mean : ([at(i), mean] as const);
  });
  return [
    { kind: 'band', tone, ranges },
    { kind: 'line', name, tone, places },
  ];
}

/** A line whose values hold until the next one. */
export const stepped = (places: (Place | null)[]): (Place | null)[] =>
  places.flatMap((place, i) => {
    const next = places[i + 1];
    return place && next ? [place, [next[0], place[1]] as const] : [place];
  });
