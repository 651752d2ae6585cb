import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api } from './client';
import type { Page } from './page';
import { devicePath, part } from './queries';
import type {
  Burst,
  CoverageReport,
  FiguresTable,
  Marks,
  Note,
  Origin,
  Reading,
  SignalSpan,
  Stay,
  SummarySet,
  View,
} from './schema';
import { serviceNow } from '../format/clock';

/** A stretch of time in milliseconds since 1970. */
export interface Span {
  from: number;
  to: number;
}

const inUnit = (unit: string | undefined) => (unit === undefined ? '' : `&unit=${part(unit)}`);

/** A stretch of time, or the last so many milliseconds whenever it is asked. */
export type Asked = Span | { last: number };

function spanOf(asked: Asked): Span {
  if (!('last' in asked)) return asked;
  const now = serviceNow();
  return { from: now - asked.last, to: now };
}

/** Summaries of a signal, in its own unit or another. */
export const summary = (
  siteCode: string,
  device: string,
  signal: string,
  asked: Asked,
  buckets: number,
  unit?: string,
) =>
  queryOptions({
    queryKey: ['summary', siteCode, device, signal, asked, buckets, unit],
    queryFn: async () => {
      const span = spanOf(asked);
      const now = serviceNow();
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&buckets=${buckets}${inUnit(unit)}`;
      const path = `${devicePath(siteCode, device)}/signals/${part(signal)}/summary?${query}`;
      const set = await api.get<SummarySet>(path);
      // Of a time that is not over the service can tell what was until now.
      return span.to > now ? { ...set, to: new Date(now).toISOString() } : set;
    },
    placeholderData: keepPreviousData,
  });

/** Readings of a signal that are suspect or rejected, in its own unit or another; the newest, if there are too many. */
export const doubtful = (siteCode: string, device: string, signal: string, asked: Asked, unit?: string) =>
  queryOptions({
    queryKey: ['readings', siteCode, device, signal, asked, 'doubtful', unit],
    queryFn: () => {
      const span = spanOf(asked);
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&order=descending&limit=2000&doubtful=true`;
      return api.get<Page<Reading>>(
        `${devicePath(siteCode, device)}/signals/${part(signal)}/readings?${query}${inUnit(unit)}`,
      );
    },
    placeholderData: keepPreviousData,
  });

/**
 * How long the values of a signal stayed, or its quality (as words: `good`, or the cause of the doubt); the first
 * ones of the time, if there are too many.
 */
export const stays = (
  siteCode: string,
  device: string,
  signal: string,
  asked: Asked,
  of: 'value' | 'quality',
) =>
  queryOptions({
    queryKey: ['readings', siteCode, device, signal, asked, 'stays', of],
    queryFn: () => {
      const span = spanOf(asked);
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&of=${of}&limit=500`;
      return api.get<Page<Stay>>(`${devicePath(siteCode, device)}/signals/${part(signal)}/stays?${query}`);
    },
    placeholderData: keepPreviousData,
  });

/** Bursts of a signal, from either end of a time. */
export const bursts = (
  siteCode: string,
  device: string,
  signal: string,
  span: Span,
  { unit, newest = false, limit = 100 }: { unit?: string | undefined; newest?: boolean; limit?: number } = {},
) =>
  queryOptions({
    queryKey: ['readings', siteCode, device, signal, span, 'bursts', newest, limit, unit],
    queryFn: () => {
      const order = newest ? 'descending' : 'ascending';
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&order=${order}&limit=${limit}${inUnit(unit)}`;
      return api.get<Page<Burst>>(`${devicePath(siteCode, device)}/signals/${part(signal)}/bursts?${query}`);
    },
  });

/** Where the value of a signal at a time in milliseconds comes from. */
export const origin = (siteCode: string, device: string, signal: string, at: number) =>
  queryOptions({
    queryKey: ['origin', siteCode, device, signal, at],
    queryFn: () =>
      api.get<Origin>(`${devicePath(siteCode, device)}/signals/${part(signal)}/origin?at=${at / 1000}`),
    placeholderData: keepPreviousData,
  });

/** Figures of signals; `signals` are such as `tower/level` or `tower/level:cm`. */
export const figures = (
  siteCode: string,
  signals: string[],
  asked: Asked,
  zone: string,
  { by, quantiles, limits }: { by: string; quantiles: number[]; limits: Partial<Record<string, string>> },
) =>
  queryOptions({
    queryKey: ['figures', siteCode, signals, asked, zone, by, quantiles, limits],
    queryFn: () => {
      const span = spanOf(asked);
      const query = new URLSearchParams({
        signals: signals.join(),
        from: String(span.from / 1000),
        to: String(span.to / 1000),
        quantiles: quantiles.join(),
        zone,
      });
      if (by !== '') query.set('by', by);
      for (const [name, text] of Object.entries(limits)) if (text) query.set(name, text);
      return api.get<FiguresTable>(`/sites/${part(siteCode)}/figures?${query.toString()}`);
    },
    placeholderData: keepPreviousData,
  });

/** How much of what was expected came, of the devices after one. */
export const coverage = (siteCode: string, span: Span, zone: string, by: 'hour' | 'day', after?: string) =>
  queryOptions({
    queryKey: ['coverage', siteCode, span, zone, by, after],
    queryFn: () => {
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&zone=${part(zone)}&by=${by}&limit=100`;
      const more = after === undefined ? '' : `&after=${part(after)}`;
      return api.get<CoverageReport>(`/sites/${part(siteCode)}/coverage?${query}${more}`);
    },
    placeholderData: keepPreviousData,
  });

/** What stands at times beside the readings of signals. */
export const marks = (siteCode: string, signals: string[], asked: Asked) =>
  queryOptions({
    queryKey: ['marks', siteCode, signals, asked],
    queryFn: () => {
      const span = spanOf(asked);
      // A time up to now goes on: what is written next belongs to it too.
      const to = 'last' in asked ? span.to + asked.last : span.to;
      const query = `signals=${part(signals.join())}&from=${span.from / 1000}&to=${to / 1000}`;
      return api.get<Marks>(`/sites/${part(siteCode)}/marks?${query}`);
    },
    placeholderData: keepPreviousData,
  });

/** Notes of a site, those that begin last first. */
export const notes = (siteCode: string, after?: string) =>
  queryOptions({
    queryKey: ['notes', siteCode, after],
    queryFn: () =>
      api.get<Page<Note>>(
        `/sites/${part(siteCode)}/notes?limit=50${after === undefined ? '' : `&after=${part(after)}`}`,
      ),
    placeholderData: keepPreviousData,
  });

/** Views of charts that are kept at a site, by name. */
export const views = (siteCode: string) =>
  queryOptions({
    queryKey: ['views', siteCode],
    queryFn: () => all<View>(`/sites/${part(siteCode)}/views`),
  });

/** First and last times of the readings of signals, named `device/signal`, in their order. */
export const signalSpans = (siteCode: string, signals: string[]) =>
  queryOptions({
    queryKey: ['span', siteCode, signals],
    queryFn: () => api.get<SignalSpan[]>(`/sites/${part(siteCode)}/span?signals=${part(signals.join())}`),
  });

/** Readings of a signal, the newest first: in its own unit or another, the good ones or all. */
export const readings = (
  siteCode: string,
  device: string,
  signal: string,
  asked: Asked,
  { after, unit, all }: { after?: string | undefined; unit?: string | undefined; all?: boolean } = {},
) =>
  queryOptions({
    queryKey: ['readings', siteCode, device, signal, asked, after, unit, all],
    queryFn: () => {
      const span = spanOf(asked);
      const query = `from=${span.from / 1000}&to=${span.to / 1000}&order=descending&limit=50${inUnit(unit)}`;
      const more = `${after === undefined ? '' : `&after=${part(after)}`}${all ? '&all=true' : ''}`;
      return api.get<Page<Reading>>(
        `${devicePath(siteCode, device)}/signals/${part(signal)}/readings?${query}${more}`,
      );
    },
    placeholderData: keepPreviousData,
  });
