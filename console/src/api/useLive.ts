import { useCallback, useSyncExternalStore } from 'react';
import { useSite } from '../components/siteContext';
import { decimalsOf, liveValues, newer, type Standing } from './liveValues';
import type { DeviceNow, Reading, SignalNow } from './schema';

function useTold<T>(site: string, of: string, read: () => T): T {
  const subscribe = useCallback(
    (listener: () => void) => liveValues(site).subscribe(of, listener),
    [site, of],
  );
  return useSyncExternalStore(subscribe, read);
}

/** The last reading of a signal as it comes in, and the decimals to show it with. */
export function useLast(device: string, signal: SignalNow): { last: Reading | undefined; decimals: number } {
  const site = useSite().code;
  const live = useTold(site, `${device}/${signal.signal}`, () =>
    liveValues(site).last(device, signal.signal),
  );
  const last = newer(live, signal.last);
  return { last, decimals: decimalsOf(signal, last) };
}

/** How a device is doing. */
export function useStanding(device: DeviceNow): Standing {
  const site = useSite().code;
  const told = useTold(site, device.device, () => liveValues(site).standing(device.device));
  return told ?? { presence: device.presence, since: device.since, connection: device.connection };
}

/** Changes with each reading of a device, and is its time. */
export function useBeat(device: string): string | undefined {
  const site = useSite().code;
  return useTold(site, device, () => liveValues(site).beat(device));
}
