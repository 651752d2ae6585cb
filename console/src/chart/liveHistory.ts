import type { LiveReading, SummarySet } from '../api/schema';
import { serviceNow } from '../format/clock';
import { decimalsIn } from '../format/number';
import { keyOf } from './drawn';
import { LiveSummary, type LivePoint, type Pieces } from './liveSummary';

/** Readings of a signal that are kept until an answer that was under way has come. */
const KEPT = 500;

/** A signal whose history is looked at. */
interface Followed {
  set: SummarySet;
  live: LiveSummary;
}

/**
 * The histories of some signals, named `device/signal`, which grow with what the live stream brings. An
 * answer of the service takes the place of what there was; what came while it was under way is
 * taken in again.
 */
export class LiveHistory {
  #followed = new Map<string, Followed>();
  #recent = new Map<string, LivePoint[]>();
  #decimals = new Map<string, number>();
  #listeners = new Set<() => void>();
  #version = 0;
  #pace = 0;
  /** When it was told last that something changed, and the telling that is still to come. */
  #told = 0;
  #telling: ReturnType<typeof setTimeout> | undefined;

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  /** Another number whenever something has changed. */
  version = (): number => this.#version;

  /** When it was told last that something has changed, in milliseconds of the service's clock. */
  toldAt = (): number => this.#told;

  /** Changes are told so many milliseconds apart at least: what cannot be seen need not be drawn. */
  setPace(pace: number): void {
    this.#pace = pace;
  }

  /**
   * Takes in what the service says of a signal; `undefined` if that is not known. Only a time
   * that is shown up to now goes on with what came while the answer was under way.
   */
  know(signal: string, set: SummarySet | undefined, isLive = true): void {
    if (this.#followed.get(signal)?.set === set) return;
    if (set === undefined) {
      this.#followed.delete(signal);
    } else {
      const live = new LiveSummary(set);
      if (isLive) this.#recent.get(signal)?.forEach((point) => live.take(point));
      this.#followed.set(signal, { set, live });
    }
    this.#changed(true);
  }

  /** Takes readings in, and gives the signals of which only the service can tell how they are now. */
  take(readings: LiveReading[]): Set<string> {
    const stale = new Set<string>();
    let isChanged = false;
    for (const { device, signal: code, at, value } of readings) {
      const signal = keyOf({ device, signal: code });
      if (typeof value !== 'number' && typeof value !== 'boolean') continue;
      if (typeof value === 'number')
        this.#decimals.set(signal, Math.max(this.decimals(signal), decimalsIn(value)));
      const point = { at: Date.parse(at), value: Number(value) };
      const recent = this.#recent.get(signal) ?? [];
      recent.push(point);
      this.#recent.set(signal, recent.length > 2 * KEPT ? recent.slice(-KEPT) : recent);
      const followed = this.#followed.get(signal);
      if (followed === undefined) continue;
      if (followed.live.take(point)) isChanged = true;
      else stale.add(signal);
    }
    if (isChanged) this.#changed();
    return stale;
  }

  /** The most decimals that came with a reading of a signal. */
  decimals(signal: string): number {
    return this.#decimals.get(signal) ?? 0;
  }

  /** What is known of a signal after a time. */
  of(signal: string, from: number): Pieces | undefined {
    return this.#followed.get(signal)?.live.from(from);
  }

  #changed(isAtOnce = false): void {
    this.#version += 1;
    if (isAtOnce) clearTimeout(this.#telling);
    else if (this.#telling !== undefined) return;
    const wait = isAtOnce ? 0 : this.#told + this.#pace - serviceNow();
    if (wait <= 0) this.#tell();
    else this.#telling = setTimeout(() => this.#tell(), wait);
  }

  #tell(): void {
    this.#telling = undefined;
    this.#told = serviceNow();
    this.#listeners.forEach((listener) => listener());
  }
}
