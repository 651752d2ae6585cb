import type { QueryClient } from '@tanstack/react-query';
import { groupBy } from '../groupBy';
import type { ChangeEvent, DeviceNow, LiveReading, PresenceEvent, ReadingsEvent, Value } from './types';

/** Whether the live stream of a site is connected, and since when not. */
export type LiveState = { connected: true } | { connected: false; since: number };

/** Traces and directions of change are fetched anew this often at most, in milliseconds. */
const REFRESH = 10_000;

type ReadingsListener = (readings: LiveReading[]) => void;

/**
 * The live stream of one site. Puts what comes in into the query cache, so that
 * every page shows it, and tells listeners that want each reading.
 */
export class LiveSite {
  #source: EventSource;
  #cache: QueryClient;
  #site: string;
  #state: LiveState = { connected: true };
  #stateListeners = new Set<() => void>();
  #readingsListeners = new Set<ReadingsListener>();
  #refreshed = 0;
  #refreshing: ReturnType<typeof setTimeout> | undefined;

  constructor(site: string, cache: QueryClient) {
    this.#site = site;
    this.#cache = cache;
    this.#source = new EventSource(`/api/v1/live?site=${encodeURIComponent(site)}`);
    this.#source.onopen = () => this.#setState({ connected: true });
    this.#source.onerror = () => {
      if (this.#state.connected) this.#setState({ connected: false, since: Date.now() });
    };
    this.#on<ReadingsEvent>('readings', (event) => this.#readings(event));
    this.#on<PresenceEvent>('presence', (event) => this.#presence(event));
    this.#on<ChangeEvent>('change', (event) => this.#change(event));
    this.#on('reset', () => void this.#cache.invalidateQueries());
  }

  close(): void {
    this.#source.close();
    clearTimeout(this.#refreshing);
  }

  state = (): LiveState => this.#state;

  onState = (listener: () => void): (() => void) => {
    this.#stateListeners.add(listener);
    return () => this.#stateListeners.delete(listener);
  };

  onReadings = (listener: ReadingsListener): (() => void) => {
    this.#readingsListeners.add(listener);
    return () => this.#readingsListeners.delete(listener);
  };

  #on<T>(name: string, handle: (event: T) => void): void {
    this.#source.addEventListener(name, (message: MessageEvent<string>) =>
      handle(JSON.parse(message.data) as T),
    );
  }

  #setState(state: LiveState): void {
    this.#state = state;
    this.#stateListeners.forEach((listener) => listener());
  }

  #readings(event: ReadingsEvent): void {
    const byDevice = groupBy(event.readings, (reading) => reading.device);
    this.#cache.setQueryData<DeviceNow[]>(['now', this.#site], (devices) =>
      devices?.map((device) => withReadings(device, byDevice.get(device.device))),
    );
    for (const [code, readings] of byDevice) {
      this.#cache.setQueryData<DeviceNow | null>(
        ['device-now', this.#site, code],
        (device) => device && withReadings(device, readings),
      );
    }
    this.#readingsListeners.forEach((listener) => listener(event.readings));
    this.#refreshSoon();
  }

  /** Values are in place already; traces and directions follow, at once after a quiet time. */
  #refreshSoon(): void {
    if (this.#refreshing !== undefined) return;
    const wait = Math.max(0, this.#refreshed + REFRESH - Date.now());
    this.#refreshing = setTimeout(() => {
      this.#refreshing = undefined;
      this.#refreshed = Date.now();
      for (const key of ['now', 'device-now'])
        void this.#cache.invalidateQueries({ queryKey: [key, this.#site] });
    }, wait);
  }

  #presence({ device, presence, since }: PresenceEvent): void {
    const change = <T extends { presence: string }>(old: T): T => ({ ...old, presence, since });
    this.#cache.setQueryData<DeviceNow[]>(['now', this.#site], (devices) =>
      devices?.map((old) => (old.device === device ? change(old) : old)),
    );
    this.#cache.setQueryData<DeviceNow | null>(
      ['device-now', this.#site, device],
      (old) => old && change(old),
    );
  }

  #change({ what, device }: ChangeEvent): void {
    // Asking for it again would only say that it is not there.
    if (what === 'device-removed') this.#cache.setQueryData(['device-now', this.#site, device], null);
    const stale: Record<ChangeEvent['what'], string[]> = {
      site: ['site', 'sites'],
      device: ['now', 'device', 'device-now', 'site'],
      'device-removed': ['now', 'site', 'arrivals'],
      signal: ['now', 'device-now', 'signals', 'site', 'arrivals'],
      key: ['keys'],
      arrival: ['site', 'arrivals'],
    };
    for (const key of stale[what]) {
      void this.#cache.invalidateQueries({ queryKey: key === 'sites' ? [key] : [key, this.#site] });
    }
  }
}

/** A device with newer readings taken in. */
export function withReadings(device: DeviceNow, readings: LiveReading[] | undefined): DeviceNow {
  if (readings === undefined) return device;
  const signals = device.signals.map((signal) => {
    const newest = readings
      .filter((reading) => reading.signal === signal.signal)
      .reduce<LiveReading | undefined>(
        (a, b) => (a && Date.parse(a.at) > Date.parse(b.at) ? a : b),
        undefined,
      );
    if (newest === undefined) return signal;
    if (signal.last && Date.parse(signal.last.at) > Date.parse(newest.at)) return signal;
    const decimals = Math.max(signal.decimals, decimalsOf(newest.value));
    return { ...signal, decimals, last: { at: newest.at, value: newest.value } };
  });
  return { ...device, signals };
}

/** How many decimals a value was sent with, at most 6. */
function decimalsOf(value: Value): number {
  return typeof value === 'number' ? Math.min(6, String(value).split('.')[1]?.length ?? 0) : 0;
}
