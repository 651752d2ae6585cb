import type { Alarm, Severity, Watch, WatchCondition as When } from '../../api/schema';
import { interval } from '../../format/age';

/** How an alarm is, in words. */
export const STATES: Record<string, string> = {
  unacknowledged: 'nobody knows yet',
  acknowledged: 'somebody knows',
  returned: 'over, and nobody has looked',
  cleared: 'over',
  shelved: 'shelved',
  out_of_service: 'out of service',
  covered: 'another alarm is its cause',
};

/** What happened to an alarm, in words. */
export const STEPS: Record<string, string> = {
  raised: 'Raised',
  pressed: 'The button was pressed',
  found: 'Found in the history by readings that came late',
  raised_again: 'Raised again before anybody had looked',
  cleared: 'Cleared',
  acknowledged: 'Acknowledged',
  shelved: 'Shelved',
  unshelved: 'Shelved no longer',
  out_of_service: 'Taken out of service',
  in_service: 'Put back into service',
  uncovered: 'Called for: it still holds',
  unwatched: 'Ended: nothing watches there any more',
};

export const SEVERITIES: Severity[] = ['urgent', 'high', 'medium', 'low'];

/** Whether somebody can still say that they know. */
export const isWaiting = ({ state }: Alarm): boolean => state === 'unacknowledged' || state === 'returned';

/** Where an alarm is: a signal, a device, or the service. */
export const placeOf = ({ device, signal }: Pick<Alarm, 'device' | 'signal'>): string =>
  device === undefined ? 'the service' : signal === undefined ? device : `${device}/${signal}`;

/** Those that somebody has to act on first: what is waited for, the worst, the first raised. */
export function inOrder(alarms: Alarm[]): Alarm[] {
  const rank = (alarm: Alarm) => SEVERITIES.indexOf(alarm.severity);
  return [...alarms].sort(
    (a, b) =>
      Number(isWaiting(b)) - Number(isWaiting(a)) ||
      rank(a) - rank(b) ||
      a.raised_at.localeCompare(b.raised_at),
  );
}

/** What a watch looks for, in words. */
export function whenInWords(when: When, symbol?: string): string {
  const unitOf = (unit: string | null | undefined) => ((symbol ?? unit) ? ` ${symbol ?? unit}` : '');
  switch (when.is) {
    case 'above':
    case 'below':
      return `${when.is} ${when.limit}${unitOf(when.unit)}`;
    case 'outside':
      return `outside ${when.low} to ${when.high}${unitOf(when.unit)}`;
    case 'changing': {
      const how = { rises: 'rises', falls: 'falls', either: 'changes' }[when.direction ?? 'either'];
      return `${how} by more than ${when.by}${unitOf(when.unit)} within ${interval(when.within_s)}`;
    }
    case 'steady':
      return `does not change for ${interval(when.for_s)}`;
    case 'flag':
      return when.value ? 'is raised' : 'is not raised';
    case 'text':
      return `is “${when.equals}”`;
    case 'inside':
      return 'is inside an area';
    case 'outside_of':
      return 'is outside an area';
    case 'farther':
      return `is further than ${when.than_m} m from a place`;
    case 'doubtful':
      return 'has readings that are not good';
    case 'late':
      return 'is late or silent';
    case 'silent':
      return 'is silent';
    case 'losses':
      return `has lost more than ${Math.round(when.above * 100)} % of a day's messages`;
    case 'disk':
      return `will be full within ${when.days} days`;
    case 'clock':
      return 'is not to be trusted';
    case 'pressed':
      return 'presses its button';
  }
}

/** What a watch is on, in words. */
export function onInWords({ on = {}, when }: Watch): string {
  if (when.is === 'disk') return 'The disk of the service';
  if (when.is === 'clock') return 'The clock of the service';
  if (when.is === 'pressed') return 'Somebody';
  const { device, kind, signal, except } = on;
  const of = device ?? (kind ? `every device of kind ${kind}` : 'every device');
  const what = !signal ? of : device ? `${device}/${signal}` : `${signal} of ${of}`;
  return except && except.length > 0 ? `${what}, but not ${except.join(', ')}` : what;
}
