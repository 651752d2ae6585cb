/** Offsets from UTC change at whole quarters of an hour only. */
const QUARTER = 900_000;

const offsets = new Map<string, Map<number, number>>();
const formats = new Map<string, Intl.DateTimeFormat>();

/** How far the clocks of a zone are ahead of UTC at a moment, in milliseconds. */
export function offsetOf(at: number, zone: string): number {
  const known = offsets.get(zone) ?? new Map<number, number>();
  offsets.set(zone, known);
  const slot = Math.floor(at / QUARTER);
  let offset = known.get(slot);
  if (offset === undefined) {
    offset = askedOffset(slot * QUARTER, zone);
    // Long looks at long times are no reason to keep all of them.
    if (known.size > 50_000) known.clear();
    known.set(slot, offset);
  }
  return offset;
}

function askedOffset(at: number, zone: string): number {
  let format = formats.get(zone);
  if (format === undefined) {
    format = new Intl.DateTimeFormat('en', { timeZone: zone, timeZoneName: 'longOffset' });
    formats.set(zone, format);
  }
  const name = format.formatToParts(at).find(({ type }) => type === 'timeZoneName')?.value ?? 'GMT';
  const parts = /GMT(?:([+-])(\d{2}):(\d{2})(?::(\d{2}))?)?/.exec(name);
  if (parts?.[1] === undefined) return 0;
  const [hours, minutes, seconds] = [parts[2], parts[3], parts[4]].map((part) => Number(part ?? 0));
  const length = ((hours ?? 0) * 3_600 + (minutes ?? 0) * 60 + (seconds ?? 0)) * 1_000;
  return parts[1] === '-' ? -length : length;
}

/** A date whose own fields (hours, days) are what the clocks of a zone show at a moment. */
export function zoneDate(at: number, zone: string): Date {
  const wall = new Date(at + offsetOf(at, zone));
  return new Date(
    wall.getUTCFullYear(),
    wall.getUTCMonth(),
    wall.getUTCDate(),
    wall.getUTCHours(),
    wall.getUTCMinutes(),
    wall.getUTCSeconds(),
    wall.getUTCMilliseconds(),
  );
}
