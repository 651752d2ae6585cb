import type { NewSignal } from '../../api/schema';

const SAMPLE = { number: '1.5', flag: 'true', text: '"ok"' } as const;

/** A line for a terminal that sends a first reading of each signal. */
export function curlLine(origin: string, key: string, signals: Pick<NewSignal, 'code' | 'type'>[]): string {
  const values = signals.length > 0 ? signals : [{ code: 'test', type: 'number' as const }];
  const body = values.map(({ code, type = 'number' }) => `"${code}": ${SAMPLE[type]}`).join(', ');
  return `curl ${origin}/in -H 'Authorization: Bearer ${key}' -d '{${body}}'`;
}
