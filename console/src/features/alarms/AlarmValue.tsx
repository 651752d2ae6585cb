import type { Alarm } from '../../api/schema';
import { asSent, withUnit, worked } from '../../format/number';

/** The value an alarm was raised with. */
export function AlarmValue({ alarm: { value, symbol, signal } }: { alarm: Alarm }) {
  if (signal === undefined || value === undefined) return null;
  if (typeof value === 'boolean') return value ? 'raised' : 'not raised';
  return typeof value === 'number' ? withUnit(worked(value), symbol ?? '') : asSent(value);
}
