import { useSyncExternalStore } from 'react';
import { readHealth } from '../api/client';

/** Milliseconds the service's clock is ahead of this computer's. */
let ahead = 0;

/** Asks the service for its time, so that ages are right on a computer whose clock is not. */
export async function setClock(): Promise<void> {
  const before = Date.now();
  const { now } = await readHealth();
  ahead = Date.parse(now) - (before + Date.now()) / 2;
}

/** The service's time, in milliseconds since 1970. */
export const serviceNow = (): number => Date.now() + ahead;

const listeners = new Set<() => void>();
let second = Math.floor(Date.now() / 1000);
setInterval(() => {
  second = Math.floor(Date.now() / 1000);
  listeners.forEach((listener) => listener());
}, 1000);

function subscribe(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** The service's time, told anew each second. */
export function useServiceNow(): number {
  return useSyncExternalStore(subscribe, () => second) * 1000 + ahead;
}
