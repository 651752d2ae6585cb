import type { QueryClient } from '@tanstack/react-query';
import { groupBy } from '../groupBy';
import type {
  ChangeEvent,
  Command,
  CommandEvent,
  Contact,
  ContactEvent,
  Device,
  DeviceNow,
  LiveReading,
  PresenceEvent,
  ReadingsEvent,
  ReadingValue as Value,
} from './schema';

/** Whether the live stream of a site is connected, and since when not. */
export type LiveState = { connected: true } | { connected: false; since: number };

/** Traces and directions of change are fetched anew this often at most, in milliseconds. */
const REFRESH = 10_000;
/** After a refusal the stream is asked for again so much later, in milliseconds. */
const REOPEN = 5_000;
/** A page that is hidden for so long gives its stream up, in milliseconds. */
const SLEEP = 30_000;

/** Contacts of a device that a page holds. */
const MAX_CONTACTS = 200;

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
  #reopening: ReturnType<typeof setTimeout> | undefined;
  #fallingAsleep: ReturnType<typeof setTimeout> | undefined;

  constructor(site: string, cache: QueryClient) {
    this.#site = site;
    this.#cache = cache;
    this.#source = this.#open();
    document.addEventListener('visibilitychange', this.#onVisibility);
    window.addEventListener('pagehide', this.#sleep);
    window.addEventListener('pageshow', this.#wake);
  }

  /**
   * A browser has few connections to one service. A page that nobody sees gives
   * its own back, and reads everything anew when it is seen again.
   */
  #onVisibility = (): void => {
    clearTimeout(this.#fallingAsleep);
    if (document.hidden) this.#fallingAsleep = setTimeout(this.#sleep, SLEEP);
    else this.#wake();
  };

  #sleep = (): void => this.#source.close();

  #wake = (): void => {
    if (this.#source.readyState !== EventSource.CLOSED) return;
    clearTimeout(this.#reopening);
    this.#source = this.#open();
    void this.#cache.invalidateQueries();
  };

  #open(): EventSource {
    const source = new EventSource(`/api/v1/live?site=${encodeURIComponent(this.#site)}`);
    const on = <T>(name: string, handle: (event: T) => void) =>
      source.addEventListener(name, (message: MessageEvent<string>) => handle(JSON.parse(message.data) as T));
    source.onopen = () => this.#setState({ connected: true });
    source.onerror = () => {
      if (this.#state.connected) this.#setState({ connected: false, since: Date.now() });
      if (source.readyState === EventSource.CLOSED) this.#reopen();
    };
    on<ReadingsEvent>('readings', (event) => this.#readings(event));
    on<PresenceEvent>('presence', (event) => this.#presence(event));
    on<ContactEvent>('contact', (event) => this.#contact(event));
    on<ChangeEvent>('change', (event) => this.#change(event));
    on<CommandEvent>('command', (event) => this.#command(event));
    on('reset', () => void this.#cache.invalidateQueries());
    return source;
  }

  /** The browser gives up when it was refused, as after the end of a session. */
  #reopen(): void {
    void this.#cache.invalidateQueries({ queryKey: ['session'] });
    this.#reopening = setTimeout(this.#wake, REOPEN);
  }

  close(): void {
    document.removeEventListener('visibilitychange', this.#onVisibility);
    window.removeEventListener('pagehide', this.#sleep);
    window.removeEventListener('pageshow', this.#wake);
    this.#source.close();
    clearTimeout(this.#fallingAsleep);
    clearTimeout(this.#refreshing);
    clearTimeout(this.#reopening);
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

  #presence({ device, presence, since, connection }: PresenceEvent): void {
    const change = <T extends { presence: string }>(old: T): T => ({ ...old, presence, since });
    this.#cache.setQueryData<DeviceNow[]>(['now', this.#site], (devices) =>
      devices?.map((old) => (old.device === device ? change(old) : old)),
    );
    this.#cache.setQueryData<DeviceNow | null>(
      ['device-now', this.#site, device],
      (old) => old && change(old),
    );
    this.#cache.setQueryData<Device>(
      ['device', this.#site, device],
      (old) => old && { ...change(old), ...(connection === undefined ? {} : { connection }) },
    );
  }

  #command({ device, command }: CommandEvent): void {
    this.#cache.setQueryData<Command[]>(['commands', this.#site, device], (known) =>
      known?.some((old) => old.id === command.id)
        ? known.map((old) => (old.id === command.id ? command : old))
        : known && [command, ...known],
    );
  }

  #contact({ device, contact }: ContactEvent): void {
    this.#cache.setQueryData<Contact[]>(
      ['contacts', this.#site, device],
      (known) => known && [contact, ...known].slice(0, MAX_CONTACTS),
    );
  }

  #change({ what, device }: ChangeEvent): void {
    // Asking for it again would only say that it is not there.
    if (what === 'device-removed') this.#cache.setQueryData(['device-now', this.#site, device], null);
    const stale: Record<ChangeEvent['what'], string[]> = {
      site: ['site', 'sites'],
      device: ['now', 'device', 'device-now', 'site', 'kinds', 'arrivals', 'links', 'joining'],
      'device-removed': ['now', 'site', 'arrivals', 'kinds'],
      signal: ['now', 'device-now', 'signals', 'site', 'arrivals', 'recipes', 'meaning'],
      key: ['keys'],
      arrival: ['site', 'arrivals', 'now', 'links'],
      kind: ['kinds'],
      commissioning: ['commissioning', 'device-now'],
      'hand-reading': ['readings', 'summary'],
      readings: ['readings', 'summary'],
      history: ['readings', 'summary', 'now', 'device-now', 'jobs'],
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

/** How many decimals a value was sent with; one that was worked out has more than anybody writes, and tells nothing. */
function decimalsOf(value: Value): number {
  const written = typeof value === 'number' ? (String(value).split('.')[1]?.length ?? 0) : 0;
  return written > 6 ? 0 : written;
}
