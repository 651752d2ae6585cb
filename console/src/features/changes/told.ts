import type { FieldDifference } from '../../api/schema';

/** Characters of a value that are shown. */
const MOST = 160;

/** What a change was done to: `tower/level` for `devices/tower/signals/level`. */
export function objectName(object: string): string {
  if (object === '') return 'the site';
  const parts = object.split('/');
  const [sort = '', name, below, what, ...rest] = parts;
  if (name === undefined) return sort;
  if (sort === 'devices' && below === 'signals' && what !== undefined) {
    return [`${name}/${what}`, ...rest].join(' ');
  }
  if (sort === 'devices') return [name, below?.replace(/s$/, ''), what].filter(Boolean).join(' ');
  return sort === 'people' ? name : `${SORTS[sort] ?? sort} ${name}`;
}

const SORTS: Record<string, string> = {
  kinds: 'kind',
  notes: 'note',
  views: 'view',
  keys: 'key',
  jobs: 'job',
  invitations: 'invitation',
};

/** Whether something was made or removed as a whole; then its fields are not told one by one. */
export const isWhole = (differences: FieldDifference[]): boolean =>
  differences.every(({ before }) => before === undefined) ||
  differences.every(({ after }) => after === undefined);

/** A value in a line. */
export function valueText(value: unknown): string {
  if (value === undefined || value === null || value === '') return 'nothing';
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > MOST ? `${text.slice(0, MOST - 1)}…` : text;
}
