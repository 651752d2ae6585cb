import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api } from './client';
import { devicePath, part } from './queries';
import { useSite } from '../components/siteContext';

/** A removed device, or a removed signal of one that is there. */
export interface Restorable {
  device: string;
  signal?: string;
}

/** What it is called: `tower`, or `tower/level`. */
export const nameOf = ({ device, signal }: Restorable): string =>
  signal === undefined ? device : `${device}/${signal}`;

/** Brings back what was removed. */
export function useRestore() {
  const site = useSite();
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ device, signal }: Restorable) => {
      const path = devicePath(site.code, device);
      return api.post(signal === undefined ? `${path}/restore` : `${path}/signals/${part(signal)}/restore`);
    },
    onSuccess: () =>
      Promise.all(
        ['now', 'device', 'device-now', 'signals', 'removed'].map((key) =>
          cache.invalidateQueries({ queryKey: [key, site.code] }),
        ),
      ),
  });
}
