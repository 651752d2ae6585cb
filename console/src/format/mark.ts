import type { DecimalMark } from '../api/schema';

/** What stands before decimals: the site's setting, known before anything of it is drawn. */
let mark = '.';

export function setDecimalMark(wanted: DecimalMark | undefined): void {
  mark = wanted === 'comma' ? ',' : '.';
}

/** A number as the machine writes it, with the site's decimal mark. */
export const marked = (written: string): string => (mark === '.' ? written : written.replace('.', mark));
