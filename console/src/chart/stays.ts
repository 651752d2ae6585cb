import type { Span } from '../api/pastQueries';
import type { Stay } from '../api/schema';

/** How long a value holds without another, in milliseconds for each second between readings. */
export const HOLD = 2_500;

/** A text, and the part of a time in which it held. Times in milliseconds. */
export interface TextSpan extends Span {
  text: string;
}

/**
 * How long texts held: until the next one came, or, if that is further away than readings usually are, until the last
 * reading with it.
 */
export function textSpans(stays: Stay[], interval_s: number, { from, to }: Span): TextSpan[] {
  const longest = HOLD * interval_s;
  return stays.flatMap((stay, i) => {
    const [first, last] = [Date.parse(stay.from), Date.parse(stay.to)];
    const next = Date.parse(stays[i + 1]?.from ?? '');
    // The last one holds as long as the next reading may take.
    const end = Number.isNaN(next) ? Math.min(to, last + longest) : next - last <= longest ? next : last;
    const span = { text: wordOf(stay), from: Math.max(first, from), to: Math.min(end, to) };
    return span.to < from || span.from > to ? [] : [span];
  });
}

/** The times in which readings were not good, with the cause. */
export const doubtfulSpans = (stays: Stay[]): TextSpan[] =>
  stays
    .filter(({ value }) => value !== 'good')
    .map((stay) => ({ text: wordOf(stay), from: Date.parse(stay.from), to: Date.parse(stay.to) }));

const wordOf = ({ value }: Stay): string => (typeof value === 'string' ? value : JSON.stringify(value));

/** Each text with the number of its colour, in the order in which they come. */
export function tones(spans: TextSpan[]): Map<string, number> {
  const found = new Map<string, number>();
  for (const { text } of spans) if (!found.has(text)) found.set(text, found.size);
  return found;
}

/** Which texts held for how much of the time in which something held, most first. */
export function shares(spans: TextSpan[]): { text: string; share: number }[] {
  const lengths = new Map<string, number>();
  for (const { text, from, to } of spans) lengths.set(text, (lengths.get(text) ?? 0) + to - from);
  const all = [...lengths.values()].reduce((a, b) => a + b, 0);
  return [...lengths]
    .map(([text, length]) => ({ text, share: all === 0 ? 1 / lengths.size : length / all }))
    .toSorted((a, b) => b.share - a.share);
}
