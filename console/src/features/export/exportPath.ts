import { part } from '../../api/queries';
import type { Span } from '../../api/pastQueries';

/** The formats in which readings are taken away. */
export const FORMATS = [
  { id: 'csv', label: 'CSV, a column for each signal', hasQuality: true, isSheet: true },
  { id: 'csv-long', label: 'CSV, a row for each reading', hasQuality: true, isSheet: true },
  { id: 'json', label: 'JSON', hasQuality: true, isSheet: false },
  { id: 'json-lines', label: 'JSON, a line for each reading', hasQuality: true, isSheet: false },
  { id: 'senml', label: 'SenML (RFC 8428)', hasQuality: false, isSheet: false },
  { id: 'parquet', label: 'Parquet, a column for each signal', hasQuality: true, isSheet: false },
] as const;

export type Format = (typeof FORMATS)[number]['id'];

/** What a row stands for: a time with readings, or a stretch of time with its figures. */
export const STRETCHES = [
  { id: '', label: 'Readings as they came' },
  { id: '60', label: 'Minutes: mean, min, max' },
  { id: '600', label: 'Ten minutes: mean, min, max' },
  { id: 'hour', label: 'Hours: mean, min, max' },
  { id: 'day', label: 'Days: mean, min, max' },
] as const;

export type Stretch = (typeof STRETCHES)[number]['id'];

/** Where a file of readings is to be had, below the API. */
export function exportPath(
  site: string,
  signals: string[],
  { from, to }: Span,
  {
    format,
    all,
    zone,
    isForSheets,
    each,
  }: { format: Format; all: boolean; zone: string; isForSheets: boolean; each: Stretch },
): string {
  const query = new URLSearchParams({
    format,
    signals: signals.join(),
    from: String(from / 1000),
    to: String(to / 1000),
    zone,
  });
  if (all) query.set('all', 'true');
  if (isForSheets) query.set('times', 'spreadsheet');
  if (each !== '') {
    query.set(/^\d/.test(each) ? 'width_s' : 'by', each);
    query.set('figures', 'mean,min,max');
  }
  return `/sites/${part(site)}/export?${query.toString()}`;
}
