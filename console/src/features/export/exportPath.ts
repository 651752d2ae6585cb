import { part } from '../../api/queries';
import type { Span } from '../../api/pastQueries';

/** The formats in which readings are taken away. */
export const FORMATS = [
  { id: 'csv', label: 'CSV, a column for each signal', hasQuality: true },
  { id: 'csv-long', label: 'CSV, a row for each reading', hasQuality: true },
  { id: 'json', label: 'JSON', hasQuality: true },
  { id: 'json-lines', label: 'JSON, a line for each reading', hasQuality: true },
  { id: 'senml', label: 'SenML (RFC 8428)', hasQuality: false },
] as const;

export type Format = (typeof FORMATS)[number]['id'];

/** Where a file of readings is to be had, below the API. */
export function exportPath(
  site: string,
  signals: string[],
  { from, to }: Span,
  { format, all, zone }: { format: Format; all: boolean; zone: string },
): string {
  const query = new URLSearchParams({
    format,
    signals: signals.join(),
    from: String(from / 1000),
    to: String(to / 1000),
    zone,
  });
  if (all) query.set('all', 'true');
  return `/sites/${part(site)}/export?${query.toString()}`;
}
