import type { DeviceNow, SignalNow } from '../api/schema';
import { isShownInTime } from '../format/number';
import { inChosenUnit, type ChosenUnits } from '../format/otherUnits';

/** A signal as it is drawn: in the unit that was chosen, with its own kept. */
export type Drawn = SignalNow & {
  device: string;
  interval_s: number;
  /** The unit the service is asked for, if it is not the signal's own. */
  asked?: string;
  own?: string | undefined;
  /** The name of its device, where the chart has several. */
  of?: string;
};

/** Device and signal, such as `tower/level`. */
export const keyOf = ({ device, signal }: { device: string; signal: string }): string =>
  `${device}/${signal}`;

/** A signal of a device as it is drawn. */
const drawn = (device: DeviceNow, signal: SignalNow, chosen: ChosenUnits, isNamed: boolean): Drawn => {
  const { signal: code, name, type, unit, symbol, decimals, worked_out } = signal;
  const plain = {
    signal: code,
    name,
    ...(isNamed ? { of: device.name } : {}),
    type,
    symbol,
    decimals,
    device: device.device,
    interval_s: device.interval_s,
    ...(unit === undefined ? {} : { unit }),
    ...(worked_out === undefined ? {} : { worked_out }),
  };
  return { ...inChosenUnit(plain, chosen), own: unit };
};

/** All signals of a device that a chart can show. */
export const drawnOf = (device: DeviceNow, chosen: ChosenUnits): Drawn[] =>
  device.signals.filter(isShownInTime).map((signal) => drawn(device, signal, chosen, false));

/**
 * Signals of any devices that are wanted as `device/signal`, in that order; what is not there is
 * left out. Where there are several devices, names say which.
 */
export function drawnAmong(devices: DeviceNow[], wanted: string[], chosen: ChosenUnits): Drawn[] {
  const found = wanted.flatMap((key) => {
    const device = devices.find((device) => key.startsWith(`${device.device}/`));
    const signal = device?.signals
      .filter(isShownInTime)
      .find((signal) => keyOf({ ...signal, device: device.device }) === key);
    return device && signal ? [{ device, signal }] : [];
  });
  const isNamed = new Set(found.map(({ device }) => device.device)).size > 1;
  return found.map(({ device, signal }) => drawn(device, signal, chosen, isNamed));
}

/** What to call a signal by itself. */
export const fullName = ({ name, of }: { name: string; of?: string }): string =>
  of === undefined ? name : `${of}: ${name}`;

const areSame = (values: unknown[]) => new Set(values).size === 1;

/** What tells the signals of a pane apart, in short: their own names, or those of their devices, or both. */
export function shortNames(pane: { name: string; of?: string }[]): string[] {
  const devices = pane.map(({ of }) => of);
  if (areSame(devices)) return pane.map(({ name }) => name);
  if (new Set(devices).size === pane.length) return pane.map(({ name, of }) => of ?? name);
  return pane.map(fullName);
}

/** What a pane shows: what its signals have in common is said once. */
export function paneName(pane: { name: string; of?: string }[]): string {
  const [first] = pane;
  if (first === undefined) return '';
  if (first.of === undefined) return pane.map(({ name }) => name).join(', ');
  // Names of devices may have commas of their own.
  const listed = (names: string[]) => names.join(' · ');
  if (areSame(pane.map(({ of }) => of))) return `${first.of}: ${listed(pane.map(({ name }) => name))}`;
  if (areSame(pane.map(({ name }) => name)))
    return `${first.name}: ${listed(pane.map(({ of }) => of ?? ''))}`;
  return listed(pane.map(fullName));
}
