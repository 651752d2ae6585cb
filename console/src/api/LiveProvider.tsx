import { useQueryClient } from '@tanstack/react-query';
import { createContext, use, useEffect, useState, useSyncExternalStore, type ReactNode } from 'react';
import { LiveSite, type LiveState } from './live';
import type { LiveReading } from './schema';

const LiveContext = createContext<LiveSite | null>(null);

/** Opens the live stream of a site for everything inside. */
export function LiveProvider({ site, children }: { site: string; children: ReactNode }) {
  const cache = useQueryClient();
  const [live, setLive] = useState<LiveSite | null>(null);
  useEffect(() => {
    const opened = new LiveSite(site, cache);
    // eslint-disable-next-line react-hooks/set-state-in-effect -- the stream is an outside thing that must be closed again
    setLive(opened);
    return () => opened.close();
  }, [site, cache]);
  return <LiveContext value={live}>{children}</LiveContext>;
}

const CONNECTED: LiveState = { connected: true };

/** Whether what the page shows is live. */
export function useLiveState(): LiveState {
  const live = use(LiveContext);
  return useSyncExternalStore(
    (listener) => live?.onState(listener) ?? (() => undefined),
    () => live?.state() ?? CONNECTED,
  );
}

/** Calls `listener`, which must be stable, with all readings that come in; it is told when only the newest are. */
export function useLiveReadings(listener: (readings: LiveReading[], thinned: boolean) => void): void {
  const live = use(LiveContext);
  useEffect(() => live?.onReadings(listener), [live, listener]);
}
