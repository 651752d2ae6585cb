import type { Alarm } from '../../api/schema';
import { asSent, withUnit } from '../../format/number';

/** The value an alarm was raised with. */
export function AlarmValue({ alarm: { value, symbol, signal } }: { alarm: Alarm }) {
  if (signal === undefined || value === undefined) return null;
  if (typeof value === 'boolean') return value ? 'raised' : 'not raised';
  return withUnit(asSent(value), typeof value === 'number' ? (symbol ?? '') : '');
}
