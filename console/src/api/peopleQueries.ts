import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api, readHealth } from './client';
import type { Page } from './page';
import { part } from './queries';
import type { Account, ChangeLine, HeldSession, Invitation, Member, Person, RemovedSite } from './schema';

/** One's own account. */
export const account = () =>
  queryOptions({ queryKey: ['account'], queryFn: () => api.get<Account>('/account') });

/** One's log-ins and tokens. */
export const heldSessions = () =>
  queryOptions({ queryKey: ['account', 'sessions'], queryFn: () => all<HeldSession>('/account/sessions') });

/** People with a role on a site. */
export const members = (site: string) =>
  queryOptions({ queryKey: ['members', site], queryFn: () => all<Member>(`/sites/${part(site)}/people`) });

/** Invitations to a site that wait to be used. */
export const invitations = (site: string) =>
  queryOptions({
    queryKey: ['invitations', site],
    queryFn: () => all<Invitation>(`/sites/${part(site)}/invitations`),
  });

/** All people of the service. */
export const everyone = () => queryOptions({ queryKey: ['everyone'], queryFn: () => all<Person>('/people') });

/** Invitations of administrators that wait to be used. */
export const administratorInvitations = () =>
  queryOptions({ queryKey: ['invitations'], queryFn: () => all<Invitation>('/invitations') });

/** Sites that were removed within the last day. */
export const removedSites = () =>
  queryOptions({
    queryKey: ['removed-sites'],
    queryFn: async () => (await api.get<Page<RemovedSite>>('/removed-sites')).items,
  });

/** How the service is doing. */
export const health = () =>
  queryOptions({
    queryKey: ['health'],
    queryFn: readHealth,
    refetchInterval: 30_000,
  });

/** Which lines of the record are wanted. */
export interface ChangesAsked {
  object?: string;
  who?: string;
  words?: string;
}

function queryOf(asked: ChangesAsked, more: Record<string, string> = {}): URLSearchParams {
  const query = new URLSearchParams(more);
  for (const [name, value] of Object.entries(asked)) if (value) query.set(name, String(value));
  return query;
}

/** Where the changes that are asked for are a file of CSV. */
export const changesFile = (site: string, asked: ChangesAsked) =>
  `/api/v1/sites/${part(site)}/changes/file?${queryOf(asked).toString()}`;

/** Who changed what on a site, a page of it. */
export const changes = (site: string, asked: ChangesAsked, after?: string) =>
  queryOptions({
    queryKey: ['changes', site, asked, after],
    queryFn: () => {
      const query = queryOf(asked, { limit: '50' });
      if (after !== undefined) query.set('after', after);
      return api.get<Page<ChangeLine>>(`/sites/${part(site)}/changes?${query.toString()}`);
    },
    placeholderData: keepPreviousData,
  });
