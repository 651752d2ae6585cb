import type { Compared, Comparison } from '../../api/schema';
import { fixed, withUnit } from '../../format/number';

/** How two signals compare, in a sentence from the figures. */
export function inSentence(found: Comparison, other: Compared): string {
  const figures = other.figures;
  if (!figures) return `${other.signal} and ${found.reference} were not measured at the same times.`;
  const amount = (value: number) => withUnit(fixed(Math.abs(value), figures.decimals), found.symbol ?? '');
  const earlier = other.shifted_s === 0 ? '' : `, ${other.shifted_s / 86_400} d before,`;
  const isBiased = Math.abs(figures.bias) > figures.spread / 2;
  const bias = isBiased
    ? `reads ${amount(figures.bias)} ${figures.bias > 0 ? 'more' : 'less'} than`
    : 'reads the same on the whole as';
  return `${other.signal}${earlier} ${bias} ${found.reference}, give or take ${amount(figures.spread)}.`;
}
