import type { QueryClient } from '@tanstack/react-query';
import { liveValues, type LiveValues } from './liveValues';
import type {
  Alarm,
  ChangeEvent,
  Command,
  CommandEvent,
  Contact,
  ContactEvent,
  LiveReading,
  PresenceEvent,
  ReadingsEvent,
} from './schema';

/** Whether the live stream of a site is connected, and since when not. */
export type LiveState = { connected: true } | { connected: false; since: number };

/** Directions of change and reasons are fetched anew this often at most, in milliseconds. */
const REFRESH = 10_000;
/** After a refusal the stream is asked for again so much later, in milliseconds. */
const REOPEN = 5_000;
/** A page that is hidden for so long gives its stream up, in milliseconds. */
const SLEEP = 30_000;

/** Contacts of a device that a page holds. */
const MAX_CONTACTS = 200;

/** Changes that come so soon after each other, in milliseconds, are answered by asking once. */
const TOGETHER = 100;

/** What has to be asked for again after a change; one that is not known here concerns no page. */
const STALE: Partial<Record<string, string[]>> = {
  site: ['site', 'sites'],
  device: ['now', 'device', 'device-now', 'site', 'kinds', 'arrivals', 'links', 'joining', 'removed'],
  'device-removed': ['now', 'site', 'arrivals', 'kinds', 'removed'],
  signal: ['now', 'device-now', 'signals', 'site', 'arrivals', 'recipes', 'meaning', 'removed'],
  key: ['keys'],
  arrival: ['site', 'arrivals', 'now', 'links'],
  kind: ['kinds'],
  commissioning: ['commissioning', 'device-now', 'marks'],
  'hand-reading': ['readings', 'summary', 'marks'],
  readings: ['readings', 'summary', 'now', 'device-now'],
  history: ['readings', 'summary', 'now', 'device-now', 'jobs'],
  note: ['notes', 'marks'],
  view: ['views'],
  watch: ['alarms'],
  roster: ['alarms'],
};

/** Changes after which what was said of a device's readings may not hold. */
const PAST: Partial<Record<string, boolean>> = {
  'device-removed': true,
  signal: true,
  readings: true,
  history: true,
};

/** `thinned` says that only the newest of each signal are told. */
type ReadingsListener = (readings: LiveReading[], thinned: boolean) => void;

/**
 * The live stream of one site. Puts values and presence into the live values, what else comes
 * into the query cache, and tells listeners that want each reading.
 */
export class LiveSite {
  #source: EventSource;
  #cache: QueryClient;
  #site: string;
  #state: LiveState = { connected: true };
  #stateListeners = new Set<() => void>();
  #readingsListeners = new Set<ReadingsListener>();
  #values: LiveValues;
  /** Devices of which something came since their descriptions were asked for. */
  #moved = new Set<string>();
  #reasonsChanged = false;
  #stale = new Set<string>();
  #invalidating: ReturnType<typeof setTimeout> | undefined;
  #refreshed = 0;
  #refreshing: ReturnType<typeof setTimeout> | undefined;
  #reopening: ReturnType<typeof setTimeout> | undefined;
  #fallingAsleep: ReturnType<typeof setTimeout> | undefined;

  constructor(site: string, cache: QueryClient) {
    this.#site = site;
    this.#cache = cache;
    this.#values = liveValues(site);
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
    on<Alarm>('alarm', (event) => this.#alarm(event));
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
    clearTimeout(this.#invalidating);
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
    this.#values.takeReadings(event.readings);
    this.#readingsListeners.forEach((listener) => listener(event.readings, event.thinned));
    for (const { device } of event.readings) this.#moved.add(device);
    this.#refreshSoon();
  }

  /** Values are in place already; directions of change and reasons follow, and at once after a quiet time. */
  #refreshSoon(): void {
    if (this.#refreshing !== undefined) return;
    const wait = Math.max(0, this.#refreshed + REFRESH - Date.now());
    this.#refreshing = setTimeout(() => {
      this.#refreshing = undefined;
      this.#refreshed = Date.now();
      for (const device of this.#moved)
        void this.#cache.invalidateQueries({ queryKey: ['device-now', this.#site, device] });
      this.#moved.clear();
      if (this.#reasonsChanged) void this.#cache.invalidateQueries({ queryKey: ['now', this.#site] });
      this.#reasonsChanged = false;
    }, wait);
  }

  #presence(event: PresenceEvent): void {
    this.#values.takePresence(event, Date.now());
    // What needs attention first is another thing now.
    this.#moved.add(event.device);
    this.#reasonsChanged = true;
    this.#refreshSoon();
  }

  #alarm({ device }: Alarm): void {
    this.#outdated(['alarms']);
    // What needs attention first is another thing now.
    if (device !== undefined) this.#moved.add(device);
    this.#reasonsChanged = true;
    this.#refreshSoon();
  }

  #command({ device, command }: CommandEvent): void {
    this.#cache.setQueryData<Command[]>(['commands', this.#site, device], (known) =>
      known?.some((old) => old.id === command.id)
        ? known.map((old) => (old.id === command.id ? command : old))
        : known && [command, ...known],
    );
    void this.#cache.invalidateQueries({ queryKey: ['marks', this.#site] });
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
    if (device !== undefined && PAST[what]) this.#values.forget(device);
    this.#outdated(STALE[what] ?? []);
  }

  /** Has these asked for again, together with what else comes at once. */
  #outdated(keys: string[]): void {
    for (const key of keys) this.#stale.add(key);
    this.#invalidating ??= setTimeout(() => {
      this.#invalidating = undefined;
      for (const key of this.#stale)
        void this.#cache.invalidateQueries({ queryKey: key === 'sites' ? [key] : [key, this.#site] });
      this.#stale.clear();
    }, TOGETHER);
  }
}
