import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api } from './client';
import type { Page } from './page';
import { part, sitePath } from './queries';
import type { CalledFor, Callout, CalloutHistory, SiteRoster } from './schema';

/** Path of a roster below the API. */
export const rosterPath = (site: string, code: string) => `${sitePath(site)}/rosters/${part(code)}`;

/** The rosters of a site, with who is called now. */
export const rosters = (site: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'rosters'],
    queryFn: () => all<SiteRoster>(`${sitePath(site)}/rosters?limit=100`),
  });

/** Messages that called people, the newest first. */
export const callouts = (site: string, after?: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'callouts', after],
    queryFn: () => {
      const more = after === undefined ? '' : `&after=${part(after)}`;
      return api.get<Page<Callout>>(`${sitePath(site)}/callouts?limit=50${more}`);
    },
    placeholderData: keepPreviousData,
    // Messages go out beside the live stream.
    refetchInterval: 10_000,
  });

/** Messages about one alarm, the newest first. */
export const calloutsOfAlarm = (site: string, alarm: number) =>
  queryOptions({
    queryKey: ['alarms', site, 'callouts', 'of', alarm],
    queryFn: () => api.get<Page<Callout>>(`${sitePath(site)}/callouts?alarm=${alarm}&limit=50`),
    refetchInterval: 10_000,
  });

/** One message, with its words and the attempts to send it. */
export const calloutHistory = (site: string, id: number) =>
  queryOptions({
    queryKey: ['alarms', site, 'callouts', 'one', id],
    queryFn: () => api.get<CalloutHistory>(`${sitePath(site)}/callouts/${id}`),
    refetchInterval: 10_000,
  });

/** What somebody is called for, by the secret of their address. */
export const calledFor = (secret: string) =>
  queryOptions({
    queryKey: ['called-for', secret],
    queryFn: () => api.post<CalledFor>('/called-for', { secret }),
    retry: false,
    staleTime: Infinity,
  });
