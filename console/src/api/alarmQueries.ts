import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api } from './client';
import type { Page } from './page';
import { part, sitePath } from './queries';
import { serviceNow } from '../format/clock';
import type { Alarm, AlarmCounts, AlarmFigures, AlarmHistory, SiteWatch } from './schema';

/** Path of an alarm below the API. */
export const alarmPath = (site: string, id: number) => `${sitePath(site)}/alarms/${id}`;

/** Path of a watch below the API. */
export const watchPath = (site: string, code: string) => `${sitePath(site)}/watches/${part(code)}`;

/** How many alarms wait for somebody. */
export const alarmCounts = (site: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'counts'],
    queryFn: () => api.get<AlarmCounts>(`${sitePath(site)}/alarms/waiting`),
  });

/** Alarms that go on, or that nobody has acknowledged. */
export const openAlarms = (site: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'open'],
    queryFn: () => all<Alarm>(`${sitePath(site)}/alarms?open=true&limit=500`),
  });

/** All alarms, the last raised first. */
export const pastAlarms = (site: string, after?: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'past', after],
    queryFn: () => {
      const more = after === undefined ? '' : `&after=${part(after)}`;
      return api.get<Page<Alarm>>(`${sitePath(site)}/alarms?limit=50${more}`);
    },
    placeholderData: keepPreviousData,
  });

/** One alarm, with what happened to it. */
export const alarmHistory = (site: string, id: number) =>
  queryOptions({
    queryKey: ['alarms', site, 'one', id],
    queryFn: () => api.get<AlarmHistory>(alarmPath(site, id)),
  });

/** How alarms did over the last days, for so many people who share them. */
export const alarmFigures = (site: string, days: number, operators: number) =>
  queryOptions({
    queryKey: ['alarms', site, 'figures', days, operators],
    queryFn: () => {
      const from = Math.round((serviceNow() - days * 86_400_000) / 1000);
      return api.get<AlarmFigures>(`${sitePath(site)}/alarms/figures?from=${from}&operators=${operators}`);
    },
    placeholderData: keepPreviousData,
  });

/** The watches of a site. */
export const watches = (site: string) =>
  queryOptions({
    queryKey: ['alarms', site, 'watches'],
    queryFn: () => all<SiteWatch>(`${sitePath(site)}/watches?limit=500`),
  });
