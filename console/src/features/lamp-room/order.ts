import type { Attention, Concern, DeviceNow } from '../../api/schema';
import { shortTime } from '../../format/time';

/** Concerns, the most urgent first, and how devices of which it is the most urgent are counted. */
export const CONCERNS: readonly { concern: Concern; told: string; chip: string }[] = [
  { concern: 'alarm', told: 'in alarm', chip: 'In alarm' },
  { concern: 'silent', told: 'silent', chip: 'Silent' },
  { concern: 'losses', told: 'losing messages', chip: 'Losing messages' },
  { concern: 'battery-low', told: 'with a low battery', chip: 'Battery low' },
  { concern: 'wrong-clock', told: 'with a wrong clock', chip: 'Wrong clock' },
  { concern: 'suspect', told: 'with suspect values', chip: 'Suspect values' },
  { concern: 'late', told: 'late', chip: 'Late' },
  { concern: 'names-waiting', told: 'with names waiting', chip: 'Names waiting' },
  { concern: 'never', told: 'never heard', chip: 'Never heard' },
  { concern: 'trial', told: 'in trial', chip: 'In trial' },
];

const URGENCY = new Map(CONCERNS.map(({ concern }, index) => [concern, index]));

const attention = (device: DeviceNow): Attention[] => device.attention ?? [];

/** What is the most urgent of a device; undefined if it is well. */
export const mostUrgent = (device: DeviceNow): Concern | undefined => attention(device)[0]?.concern;

/** Devices by what needs attention first, those alike by name. */
export function byAttention(devices: DeviceNow[]): DeviceNow[] {
  const urgency = (device: DeviceNow) => URGENCY.get(mostUrgent(device) as Concern) ?? CONCERNS.length;
  return devices.toSorted((a, b) => urgency(a) - urgency(b) || a.name.localeCompare(b.name));
}

const texts = new WeakMap<DeviceNow, string>();

/** Where the words of a filter are looked for. */
function textOf(device: DeviceNow): string {
  const known = texts.get(device);
  if (known !== undefined) return known;
  const parts = [
    device.name,
    device.device,
    device.kind ?? '',
    device.place ?? '',
    device.presence,
    ...attention(device).map(({ text }) => text),
    ...device.signals.flatMap((signal) => [signal.signal, signal.name]),
  ];
  const text = parts.join(' ').toLowerCase();
  texts.set(device, text);
  return text;
}

/** Devices that have all words somewhere in name, code, kind, place, state or signals, and the concern, if one is wanted. */
export function matching(devices: DeviceNow[], words: string, concern?: string | null): DeviceNow[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return devices.filter(
    (device) =>
      (!concern || attention(device).some((one) => one.concern === concern)) &&
      wanted.every((word) => textOf(device).includes(word)),
  );
}

/** How many devices have each concern; those that none has are left out. */
export function counted(devices: DeviceNow[]): { concern: Concern; chip: string; count: number }[] {
  return CONCERNS.map(({ concern, chip }) => ({
    concern,
    chip,
    count: devices.filter((device) => attention(device).some((one) => one.concern === concern)).length,
  })).filter(({ count }) => count > 0);
}

const ALL_WELL: Record<number, string> = { 1: 'The one device is well', 2: 'Both devices are well' };

/** The state of all devices in a sentence: "9 of 11 are well, 1 silent since 02:14, 1 late". */
export function sentence(devices: DeviceNow[], zone: string, now: number): string {
  const of = (concern: Concern | undefined) => devices.filter((device) => mostUrgent(device) === concern);
  const well = of(undefined).length;
  if (well === devices.length) return ALL_WELL[well] ?? `All ${well} devices are well`;
  const parts = CONCERNS.flatMap(({ concern, told }) => {
    const count = of(concern).length;
    return count === 0
      ? []
      : [`${count} ${told}${concern === 'silent' ? since(of(concern), zone, now) : ''}`];
  });
  return [`${well} of ${devices.length} ${well === 1 ? 'is' : 'are'} well`, ...parts].join(', ');
}

function since(silent: DeviceNow[], zone: string, now: number): string {
  const first = silent.flatMap((device) => device.since ?? []).toSorted()[0];
  return first === undefined ? '' : ` since ${shortTime(first, zone, now)}`;
}
