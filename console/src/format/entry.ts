import { marked } from './mark';

/** What a person typed where a number belongs: a number, nothing, or something that is none. */
export type Entry = number | 'empty' | 'wrong';

/**
 * Reads a number as people write it: with a point or a comma before the decimals, with a real
 * minus sign, and with spaces between thousands. A text with both comma and point, or with more
 * than one of them, is none: it could mean two numbers.
 */
export function readNumber(text: string): Entry {
  const written = text.replace(/[\s\u202f\u00a0]/g, '').replace('\u2212', '-');
  if (written === '') return 'empty';
  const plain = /^[+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:e[+-]?\d+)?$/i.test(written);
  const number = plain ? Number(written.replace(',', '.')) : NaN;
  return Number.isFinite(number) ? number : 'wrong';
}

/** The number typed, `null` for none; NaN for what is none, which no form sends. */
export function numberOrNull(text: string): number | null {
  const entry = readNumber(text);
  if (entry === 'empty') return null;
  return entry === 'wrong' ? NaN : entry;
}

/** A number as it stands in a field; nothing for none. */
export const written = (number: number | null | undefined): string =>
  number === null || number === undefined ? '' : marked(String(number));

/** What to say beside a field: what is wrong, or how another decimal mark than the site's was understood. */
export function entryHint(text: string): string | undefined {
  const entry = readNumber(text);
  if (entry === 'wrong') return 'This is no number';
  const used = /[.,]/.exec(text)?.[0];
  const isOther = typeof entry === 'number' && used !== undefined && used !== marked('.');
  return isOther ? `Read as ${written(entry)}` : undefined;
}

/** Whether somewhere in it a field holds no number although one belongs there. */
export function holdsNaN(value: unknown): boolean {
  if (typeof value === 'number') return Number.isNaN(value);
  if (typeof value !== 'object' || value === null) return false;
  return Object.values(value).some(holdsNaN);
}
