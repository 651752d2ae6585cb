import type { DeviceNow, Presence } from '../../api/schema';
import { shortTime } from '../../format/time';

const URGENCY: Record<Presence, number> = { silent: 0, late: 1, never: 2, fresh: 3 };

const ALL_FRESH: Record<number, string> = { 1: 'The one device is fresh', 2: 'Both devices are fresh' };

/** Devices by what needs attention first, those alike by name. */
export function byAttention(devices: DeviceNow[]): DeviceNow[] {
  return devices.toSorted(
    (a, b) => URGENCY[a.presence] - URGENCY[b.presence] || a.name.localeCompare(b.name),
  );
}

/** Devices that have all words somewhere in name, code, state or signals. */
export function matching(devices: DeviceNow[], words: string): DeviceNow[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (device: DeviceNow) =>
    [device.name, device.device, device.presence, ...device.signals.flatMap((s) => [s.signal, s.name])]
      .join(' ')
      .toLowerCase();
  return devices.filter((device) => wanted.every((word) => text(device).includes(word)));
}

/** The state of all devices in a sentence: "9 of 11 fresh, 1 late, 1 silent since 02:14". */
export function sentence(devices: DeviceNow[], zone: string, now: number): string {
  const of = (presence: Presence) => devices.filter((device) => device.presence === presence);
  const fresh = of('fresh').length;
  if (fresh === devices.length) return ALL_FRESH[fresh] ?? `All ${fresh} devices are fresh`;
  const parts = [`${fresh} of ${devices.length} fresh`];
  if (of('late').length > 0) parts.push(`${of('late').length} late`);
  const silent = of('silent');
  if (silent.length > 0) {
    const first = silent.map((device) => device.since ?? '').toSorted()[0] ?? '';
    parts.push(`${silent.length} silent since ${shortTime(first, zone, now)}`);
  }
  if (of('never').length > 0) parts.push(`${of('never').length} never heard`);
  return parts.join(', ');
}
