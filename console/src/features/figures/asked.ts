/** Stretches of the calendar that figures are told of. */
export const STRETCHES = [
  { id: '', label: 'The whole time' },
  { id: 'hour', label: 'By hour' },
  { id: 'day', label: 'By day' },
  { id: 'week', label: 'By week' },
  { id: 'month', label: 'By month' },
  { id: 'year', label: 'By year' },
] as const;

export type Stretch = (typeof STRETCHES)[number]['id'];

/** Limits that hours are counted by, as they are typed. */
export const LIMITS = ['above', 'below', 'within', 'base'] as const;

export type Limit = (typeof LIMITS)[number];

/** What is asked of figures, besides signals and time. */
export interface Wanted {
  by: Stretch;
  limits: Partial<Record<Limit, string>>;
}

/** Reads it from the address. */
export function readWanted(params: URLSearchParams): Wanted {
  const by = STRETCHES.find(({ id }) => id === params.get('by'))?.id ?? 'day';
  const limits = LIMITS.flatMap((name) => {
    const text = params.get(name) ?? '';
    return parseLimit(name, text) === undefined ? [] : [[name, text] as const];
  });
  return { by: params.get('by') === 'whole' ? '' : by, limits: Object.fromEntries(limits) };
}

/** The address with another wish. */
export function writeWanted(params: URLSearchParams, { by, limits }: Wanted): URLSearchParams {
  const next = new URLSearchParams(params);
  if (by === 'day') next.delete('by');
  else next.set('by', by === '' ? 'whole' : by);
  for (const name of LIMITS) {
    const text = limits[name];
    if (text === undefined || text === '') next.delete(name);
    else next.set(name, text);
  }
  return next;
}

/**
 * A limit as the service reads it: numbers with commas between, or for `within` bands such as `1..2`. A decimal
 * comma is understood where there is no doubt; `undefined` if it is none of these.
 */
export function parseLimit(name: Limit, text: string): string | undefined {
  const trimmed = text.trim().replaceAll('−', '-');
  if (trimmed === '') return undefined;
  const number = String.raw`-?\d+(?:\.\d+)?`;
  const item = name === 'within' ? `${number}\\.\\.${number}` : number;
  const isList = (candidate: string) =>
    new RegExp(name === 'base' ? `^${item}$` : `^${item}(?:, *${item})*$`).test(candidate);
  // `8,5` may be two limits or one with a decimal comma; with a space it is two.
  const pointed = trimmed.replace(/(\d),(\d)/g, '$1.$2');
  if (isList(pointed)) return pointed.replaceAll(' ', '');
  return isList(trimmed) ? trimmed.replaceAll(' ', '') : undefined;
}
