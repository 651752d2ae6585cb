import { api } from '../../api/client';
import { devicePath } from '../../api/queries';
import type { Arrival, Claim, Claimed } from '../../api/schema';

/** What an arrival most likely is: the declared signal it is spelled like, or one of its own as it was sent. */
export function likely({ name, like, type, unit }: Arrival): Claim {
  if (like !== undefined) return { into: like };
  return { code: name, type, note: '', ...(type === 'number' && unit !== undefined ? { unit } : {}) };
}

/** Claims arrivals one after the other as what they most likely are; the first that fails ends it. */
export async function claimAll(site: string, arrivals: Arrival[]): Promise<void> {
  for (const arrival of arrivals) {
    const path = `${devicePath(site, arrival.device)}/arrivals/${encodeURIComponent(arrival.name)}/claim`;
    await api.post<Claimed>(path, likely(arrival));
  }
}
