import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api, setCsrf } from './client';
import type {
  Arrival,
  Device,
  DeviceNow,
  Key,
  Page,
  Reading,
  Session,
  Signal,
  Site,
  SummarySet,
} from './types';

const part = encodeURIComponent;

/** Path of a device below the API. */
export const devicePath = (site: string, device: string) => `/sites/${part(site)}/devices/${part(device)}`;

export const session = () =>
  queryOptions({
    queryKey: ['session'],
    queryFn: async () => {
      const me = (await api.get<Session | undefined>('/me')) ?? null;
      setCsrf(me?.csrf);
      return me;
    },
    staleTime: Infinity,
    retry: false,
  });

export const setUpState = () =>
  queryOptions({ queryKey: ['set-up'], queryFn: () => api.get<{ needed: boolean }>('/set-up') });

export const sites = () => queryOptions({ queryKey: ['sites'], queryFn: () => all<Site>('/sites') });

export const site = (code: string) =>
  queryOptions({ queryKey: ['site', code], queryFn: () => api.get<Site>(`/sites/${part(code)}`) });

export const siteNow = (code: string) =>
  queryOptions({
    queryKey: ['now', code],
    queryFn: () => all<DeviceNow>(`/sites/${part(code)}/now?trace=true&limit=500`),
    // Values come live; traces also move on when nothing comes.
    refetchInterval: 60_000,
  });

/** A device as it is now; null once it was removed. */
export const deviceNow = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['device-now', siteCode, device],
    queryFn: (): Promise<DeviceNow | null> => api.get<DeviceNow>(`${devicePath(siteCode, device)}/now`),
  });

export const device = (siteCode: string, code: string) =>
  queryOptions({
    queryKey: ['device', siteCode, code],
    queryFn: () => api.get<Device>(devicePath(siteCode, code)),
  });

export const signals = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['signals', siteCode, device],
    queryFn: () => all<Signal>(`${devicePath(siteCode, device)}/signals?limit=500`),
  });

export const keys = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['keys', siteCode, device],
    queryFn: () => all<Key>(`${devicePath(siteCode, device)}/keys`),
  });

export const arrivals = (siteCode: string) =>
  queryOptions({
    queryKey: ['arrivals', siteCode],
    queryFn: () => all<Arrival>(`/sites/${part(siteCode)}/arrivals`),
  });

/** A stretch of time in milliseconds since 1970. */
export interface Span {
  from: number;
  to: number;
}

export const summary = (siteCode: string, device: string, signal: string, span: Span, buckets: number) =>
  queryOptions({
    queryKey: ['summary', siteCode, device, signal, span.from, span.to, buckets],
    queryFn: () => {
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&buckets=${buckets}`;
      return api.get<SummarySet>(`${devicePath(siteCode, device)}/signals/${part(signal)}/summary?${query}`);
    },
    placeholderData: keepPreviousData,
  });

export const readings = (siteCode: string, device: string, signal: string, span: Span, after?: string) =>
  queryOptions({
    queryKey: ['readings', siteCode, device, signal, span.from, span.to, after],
    queryFn: () => {
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&order=descending&limit=50`;
      const from = after === undefined ? '' : `&after=${part(after)}`;
      return api.get<Page<Reading>>(
        `${devicePath(siteCode, device)}/signals/${part(signal)}/readings?${query}${from}`,
      );
    },
    placeholderData: keepPreviousData,
  });
