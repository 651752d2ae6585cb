import { decimalsIn } from '../format/number';
import type { Connection, LiveReading, Presence, PresenceEvent, Reading, SignalNow } from './schema';

/** How a device is doing, as the stream said. */
export interface Standing {
  presence: Presence;
  since: string | undefined;
  connection: Connection | undefined;
}

type Told = Standing & { toldAt: number };

type Listener = () => void;

/**
 * What the live stream of a site said last: values and presence, each with those who look at
 * it. A new value reaches nobody else.
 *
 * Descriptions come from queries and have last values too; whichever is newer is shown.
 */
export class LiveValues {
  #last = new Map<string, Reading>();
  #standing = new Map<string, Told>();
  #beat = new Map<string, string>();
  #listeners = new Map<string, Set<Listener>>();

  /** Calls `listener` when something is said of a device (`tower`) or a signal (`tower/level`). */
  subscribe = (of: string, listener: Listener): (() => void) => {
    const listeners = this.#listeners.get(of) ?? new Set();
    this.#listeners.set(of, listeners);
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
      if (listeners.size === 0) this.#listeners.delete(of);
    };
  };

  /** The last reading of a signal that the stream brought. */
  last(device: string, signal: string): Reading | undefined {
    return this.#last.get(`${device}/${signal}`);
  }

  /** How a device is doing, if the stream said it. */
  standing(device: string): Standing | undefined {
    return this.#standing.get(device);
  }

  /** Changes with each reading of a device. */
  beat(device: string): string | undefined {
    return this.#beat.get(device);
  }

  /** Takes readings in; an older one than what is known is left out. */
  takeReadings(readings: LiveReading[]): void {
    const changed = new Set<string>();
    for (const { device, signal, at, value } of readings) {
      const key = `${device}/${signal}`;
      const known = this.#last.get(key);
      if (known && Date.parse(known.at) > Date.parse(at)) continue;
      this.#last.set(key, { at, value });
      this.#beat.set(device, at);
      changed.add(key).add(device);
    }
    this.#tell(changed);
  }

  /** Takes in how a device is doing. */
  takePresence({ device, presence, since, connection }: PresenceEvent, now: number): void {
    const line = connection ?? this.#standing.get(device)?.connection;
    this.#standing.set(device, { presence, since, connection: line, toldAt: now });
    this.#tell([device]);
  }

  /**
   * An answer to what was asked at a time is there, of one device or of all: it knows more of
   * presence than what was said before.
   */
  answered(askedAt: number, device?: string): void {
    const known = device === undefined ? [...this.#standing.keys()] : [device];
    const old = known.filter((one) => (this.#standing.get(one)?.toldAt ?? Infinity) < askedAt);
    old.forEach((one) => this.#standing.delete(one));
    this.#tell(old);
  }

  /** The past of a device is another one now: what was said of it does not hold any more. */
  forget(device: string): void {
    const signals = [...this.#last.keys()].filter((key) => key.startsWith(`${device}/`));
    signals.forEach((key) => this.#last.delete(key));
    this.#standing.delete(device);
    this.#tell([...signals, device]);
  }

  #tell(changed: Iterable<string>): void {
    for (const of of changed) this.#listeners.get(of)?.forEach((listener) => listener());
  }
}

const sites = new Map<string, LiveValues>();

/** The live values of a site. */
export function liveValues(site: string): LiveValues {
  const values = sites.get(site) ?? new LiveValues();
  sites.set(site, values);
  return values;
}

/** The newer of what the stream said and what was read with the description. */
export function newer(live: Reading | undefined, described: Reading | undefined): Reading | undefined {
  if (live === undefined || described === undefined) return live ?? described;
  return Date.parse(live.at) >= Date.parse(described.at) ? live : described;
}

/**
 * Decimals to show a value with. One that came meanwhile may have been sent with more than all
 * before; one that was worked out has digits that nobody measured.
 */
export function decimalsOf(signal: SignalNow, last: Reading | undefined): number {
  if (signal.worked_out || typeof last?.value !== 'number') return signal.decimals;
  return Math.max(signal.decimals, decimalsIn(last.value));
}
