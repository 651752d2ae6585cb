import { useSyncExternalStore } from 'react';

/** A text that this browser keeps under a name. */
export interface Kept {
  /** The text as it is; empty if there is none. */
  use: () => string;
  set: (text: string) => void;
}

/** Keeps a text under a name, for all who use it. */
export function kept(name: string): Kept {
  const listeners = new Set<() => void>();
  const listen = (listener: () => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  };
  return {
    use: () => useSyncExternalStore(listen, () => localStorage.getItem(name) ?? ''),
    set: (text) => {
      localStorage.setItem(name, text);
      listeners.forEach((listener) => listener());
    },
  };
}
