import type { Standing } from '../../api/liveValues';
import type { Concern, DeviceNow } from '../../api/schema';
import { shortTime } from '../../format/time';

/** Concerns that the stream tells of at once. */
const OF_PRESENCE: readonly Concern[] = ['silent', 'late', 'never'];

/** How a device is doing and why, the most urgent first: "silent since 02:14", "battery low: 11 %". */
export function reasons(device: DeviceNow, standing: Standing, zone: string, now: number): string[] {
  const others = (device.attention ?? [])
    .filter(({ concern }) => !OF_PRESENCE.includes(concern))
    .map(({ text }) => text);
  return [presence(standing, zone, now), ...others];
}

function presence({ presence, since }: Standing, zone: string, now: number): string {
  if (presence === 'never') return 'never heard';
  if (presence === 'fresh' || since === undefined) return presence;
  return `${presence} since ${shortTime(since, zone, now)}`;
}
