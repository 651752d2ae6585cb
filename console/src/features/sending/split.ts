import type { Decoder } from '../../api/schema';

/** A part of a sample: what stands there, and where that is. */
export interface Part {
  /** The value, as it stands in the sample. */
  value: string;
  /** What the sender calls it, or its path; absent where only its place tells. */
  from?: string;
}

/** How a sample falls into parts. */
export interface Split {
  form: 'bare' | 'list' | 'pairs' | 'json';
  separator?: string;
  equals?: string;
  /** The marks around a framed message. */
  frame?: { start: string; stop: string };
  parts: Part[];
}

const FRAMES: [string, string][] = [
  ['<', '>'],
  ['[', ']'],
  ['(', ')'],
  ['$', '#'],
  ['\u0002', '\u0003'],
];
const SEPARATORS = [';', '\t', ',', '|', ' '];

/** Names that say something else than a signal. */
export const SPECIAL = ['@at', '@ago', '@device'];

/** The first message of a sample, split; nothing where a sample has no parts that can be named. */
export function splitSample(sample: string): Split | undefined {
  const text = sample.trim();
  if (text === '') return undefined;
  const json = splitJson(text);
  if (json) return json;
  const line = text.split(/\r?\n/, 1)[0] ?? '';
  for (const [start, stop] of FRAMES) {
    const from = line.indexOf(start);
    const to = line.indexOf(stop, from + 1);
    if (from >= 0 && to > from) {
      const inside = splitLine(line.slice(from + 1, to));
      return inside && { ...inside, frame: { start, stop } };
    }
  }
  return splitLine(line);
}

function splitLine(line: string): Split | undefined {
  const text = line.trim();
  if (text === '') return undefined;
  const pairs = splitPairs(text);
  if (pairs) return pairs;
  // A comma between digits alone is a decimal comma where something else separates.
  const separator = SEPARATORS.find((known) => text.includes(known));
  if (separator === undefined) return { form: 'bare', parts: [{ value: text }] };
  const cells = separator === ' ' ? text.split(/ +/) : text.split(separator);
  return { form: 'list', separator, parts: cells.map((cell) => ({ value: cell.trim() })) };
}

function splitPairs(text: string): Split | undefined {
  for (const equals of ['=', ':']) {
    const separator = ['&', ...SEPARATORS].find((known) => text.includes(known)) ?? ' ';
    const cells = text.split(separator).filter((cell) => cell.trim() !== '');
    const parts = cells.map((cell) => {
      const at = cell.indexOf(equals);
      return at > 0 ? { from: cell.slice(0, at).trim(), value: cell.slice(at + 1).trim() } : undefined;
    });
    const named = parts.filter((part) => part !== undefined);
    if (named.length > 0 && named.length === cells.length)
      return { form: 'pairs', equals, separator, parts: named };
  }
  return undefined;
}

function splitJson(text: string): Split | undefined {
  if (!/^[{[]/.test(text)) return undefined;
  try {
    const whole = JSON.parse(text) as unknown;
    const record = Array.isArray(whole) ? (whole[0] as unknown) : whole;
    if (typeof record !== 'object' || record === null) return undefined;
    return { form: 'json', parts: leaves(record, '').slice(0, 50) };
  } catch {
    return undefined;
  }
}

function leaves(value: unknown, path: string): Part[] {
  if (typeof value === 'object' && value !== null)
    return Object.entries(value).flatMap(([name, inner]) =>
      leaves(inner, path === '' ? name : `${path}.${name}`),
    );
  return value === null
    ? []
    : [{ from: path, value: typeof value === 'string' ? value : JSON.stringify(value) }];
}

/** The names that parts most likely have: those the sender uses, if they can name a signal. */
export const likelyNames = ({ form, parts }: Split): string[] =>
  parts.map(({ from }) => {
    const name = form === 'json' ? from?.split('.').at(-1) : from;
    return name !== undefined && /^[A-Za-z0-9._-]{1,64}$/.test(name) ? name : '';
  });

/** The decoder for a split whose parts have these names; those without one are passed over. */
export function decoderOf(split: Split, names: string[]): Decoder {
  const field = (place: number) => {
    const name = names[place]?.trim() || '-';
    const isComma = split.separator !== ',' && /^[+-]?\d+,\d+$/.test(split.parts[place]?.value ?? '');
    return isComma && name !== '-' ? { name, type: 'decimal-comma' } : name;
  };
  const inside = insideOf(split, field, names);
  if (!split.frame) return inside as Decoder;
  return { form: 'frames', start: split.frame.start, stop: split.frame.stop, inside } as Decoder;
}

function insideOf(split: Split, field: (place: number) => unknown, names: string[]) {
  const { form, separator, equals, parts } = split;
  if (form === 'bare') return { form, field: field(0) };
  if (form === 'list') return { form, separator, fields: parts.map((_, place) => field(place)) };
  const named = parts.flatMap(({ from = '' }, place) =>
    (names[place] ?? '').trim() === '' ? [] : [{ from, field: field(place) }],
  );
  if (form === 'json') return { form, fields: named.map(({ from, field }) => ({ path: from, field })) };
  return {
    form,
    separator,
    equals,
    fields: Object.fromEntries(named.map(({ from, field }) => [from, field])),
  };
}
