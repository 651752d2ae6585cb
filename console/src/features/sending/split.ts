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

/** What a field of a decoder is called; nothing if it is passed over. */
function nameOf(field: unknown): string {
  const name = typeof field === 'object' && field !== null && 'name' in field ? field.name : field;
  return typeof name === 'string' && name !== '-' ? name : '';
}

/** The fields that a decoder has for the parts of a split; nothing if it reads another form. */
function fieldsIn(form: Decoder | null, split: Split): unknown[] | undefined {
  const inside = form?.form === 'frames' ? form.inside : form;
  const { parts } = split;
  if (inside?.form === 'bare' && split.form === 'bare') return [inside.field];
  if (inside?.form === 'list' && split.form === 'list') return parts.map((_, place) => inside.fields[place]);
  if (inside?.form === 'pairs' && split.form === 'pairs')
    return parts.map(({ from = '' }) => inside.fields?.[from] ?? from);
  return undefined;
}

/** The names that a decoder gives the parts of a split; nothing if it reads another form. */
export const namesIn = (form: Decoder | null, split: Split): string[] | undefined =>
  fieldsIn(form, split)?.map(nameOf);

/**
 * The decoder for a split whose parts have these names; those without one are passed over. What a
 * decoder before it says of fields that keep their names stays.
 */
export function decoderOf(split: Split, names: string[], before: Decoder | null = null): Decoder {
  const kept = fieldsIn(before, split) ?? [];
  const field = (place: number) => {
    const name = names[place]?.trim() || '-';
    if (name !== '-' && nameOf(kept[place]) === name) return kept[place];
    const isComma = split.separator !== ',' && /^[+-]?\d+,\d+$/.test(split.parts[place]?.value ?? '');
    return isComma && name !== '-' ? { name, type: 'decimal-comma' } : name;
  };
  const inside = insideOf(split, field);
  if (!split.frame) return inside as Decoder;
  return { form: 'frames', start: split.frame.start, stop: split.frame.stop, inside } as Decoder;
}

function insideOf(split: Split, field: (place: number) => unknown) {
  const { form, separator, equals, parts } = split;
  const named = parts.map(({ from = '' }, place) => ({ from, field: field(place) }));
  if (form === 'bare') return { form, field: field(0) };
  if (form === 'list') return { form, separator, fields: named.map(({ field }) => field) };
  if (form === 'pairs')
    return { form, separator, equals, fields: Object.fromEntries(named.map((one) => [one.from, one.field])) };
  const wanted = named.filter(({ field }) => field !== '-');
  return { form, fields: wanted.map(({ from, field }) => ({ path: from, field })) };
}
