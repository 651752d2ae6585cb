import type { Link } from '../../api/schema';
import type { Picture } from '../../chart/picture';
import { BarePicture } from '../../chart/svg/BarePicture';
import { dateTime } from '../../format/time';

const HOUR = 3_600_000;
const HOURS = 24;

/** Below this part of its messages an hour stands out. */
const LOW = 0.9;

/** The last 24 hours as bars, each as full as the part of its messages that came. */
export function hoursPicture(hours: Link['hours'], now: number, zone: string): Picture {
  const first = Math.floor(now / HOUR) - HOURS + 1;
  const bars = Array.from({ length: HOURS }, (_, place) => {
    const from = (first + place) * HOUR;
    const hour = hours.find((hour) => Date.parse(hour.from) === from);
    const at = dateTime(from, zone);
    const part = hour === undefined ? null : (hour.delivery_ratio ?? 1);
    return {
      from,
      to: from + HOUR,
      part,
      tone: part !== null && part < LOW ? ('low' as const) : ('trace' as const),
      title: hour
        ? `${at}: ${hour.received} came, ${hour.lost} lost, ${hour.repeated} again`
        : `${at}: no message`,
    };
  });
  const span = { from: first * HOUR, to: (first + HOURS) * HOUR };
  return { across: { kind: 'time', span, zone }, up: [0, 1], layers: [{ kind: 'bars', bars }] };
}

/**
 * The part of the messages that came, hour by hour: a full bar is all of them, and
 * what is missing at its top is what was lost. Hours without a message are a dot.
 */
export function HourBars({ hours, now, zone }: { hours: Link['hours']; now: number; zone: string }) {
  const least = Math.min(1, ...hours.map((hour) => hour.delivery_ratio ?? 1));
  return (
    <BarePicture
      picture={hoursPicture(hours, now, zone)}
      label={
        hours.length === 0
          ? 'No message in 24 hours'
          : `Delivered by hour: at least ${(least * 100).toFixed(0)} % in each`
      }
      width={168}
      height={26}
    />
  );
}
