import { offsetOf } from './zoneClock';

const formats = new Map<string, Intl.DateTimeFormat>();

function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = zone + JSON.stringify(options);
  let known = formats.get(key);
  if (known === undefined) {
    known = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, hourCycle: 'h23', ...options });
    formats.set(key, known);
  }
  return known;
}

const DATE = { year: 'numeric', month: '2-digit', day: '2-digit' } as const;
const TIME = { hour: '2-digit', minute: '2-digit' } as const;

/** ISO date and time to the second in a zone: "2026-05-01 14:02:09". */
export const dateTime = (at: number | string, zone: string): string =>
  format(zone, { ...DATE, ...TIME, second: '2-digit' }).format(new Date(at));

/** Date and time to the millisecond, for readings closer together than a second. */
export const fineTime = (at: string, zone: string): string =>
  `${dateTime(at, zone)}.${String(new Date(at).getUTCMilliseconds()).padStart(3, '0')}`;

/** Hours and minutes in a zone: "14:02". */
export const clockTime = (at: number, zone: string): string => format(zone, TIME).format(new Date(at));

/** Time of day if it is today in that zone, else with the date; to so fine a part of a second as it is told. */
export function shortTime(at: number | string, zone: string, now: number, step_ms = 60_000): string {
  const day = format(zone, DATE);
  const moment = new Date(at);
  const time =
    step_ms >= 60_000
      ? clockTime(moment.getTime(), zone)
      : (step_ms >= 1_000 ? dateTime(moment.getTime(), zone) : fineTime(moment.toISOString(), zone)).slice(
          11,
        );
  return day.format(moment) === day.format(new Date(now)) ? time : `${day.format(moment)} ${time}`;
}

/** The moment of a local date and time such as "2026-05-01 14:02" in a zone; undefined when it is none. */
export function parseLocal(text: string, zone: string): number | undefined {
  const match = /^\s*(\d{4}-\d{2}-\d{2})(?:[ T](\d{1,2}:\d{2}(?::\d{2})?))?\s*$/.exec(text);
  if (!match) return undefined;
  const asUtc = Date.parse(`${match[1]}T${(match[2] ?? '00:00').padStart(5, '0')}Z`);
  if (Number.isNaN(asUtc)) return undefined;
  return fromWall(asUtc, zone);
}

/** What the clocks of a zone show, as if they were those of UTC. */
export const wallTime = (at: number, zone: string): number => at + offsetOf(at, zone);

/** The moment at which the clocks of a zone show a {@link wallTime}. */
export function fromWall(wall: number, zone: string): number {
  const offset = (at: number) => wallTime(at, zone) - at;
  // The offset at about that time is close enough to find the exact one.
  return wall - offset(wall - offset(wall));
}

/** The time zone of this computer. */
export const OWN_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;
