import { fixed } from '../../format/number';

const DAY = 86_400;

/** Lengths of time that are offered for keeping something. */
export const LENGTHS: readonly { seconds?: number; label: string }[] = [
  { label: 'For ever' },
  { seconds: 2 * DAY, label: '2 days' },
  { seconds: 7 * DAY, label: '1 week' },
  { seconds: 30 * DAY, label: '30 days' },
  { seconds: 90 * DAY, label: '90 days' },
  { seconds: 365.25 * DAY, label: '1 year' },
  { seconds: 2 * 365.25 * DAY, label: '2 years' },
  { seconds: 5 * 365.25 * DAY, label: '5 years' },
  { seconds: 10 * 365.25 * DAY, label: '10 years' },
];

/** A length of time in words: hours below two days, else days. */
export function lengthLabel(seconds: number): string {
  const hours = seconds / 3_600;
  if (hours === 1) return '1 hour';
  return hours < 48 ? `${round(hours)} hours` : `${round(hours / 24)} days`;
}

const round = (n: number) => Math.round(n * 10) / 10;

/** Bytes in words. */
export function bytes(n: number): string {
  if (n < 1e3) return `${n} bytes`;
  if (n < 1e6) return `${fixed(n / 1e3, 1)} kB`;
  if (n < 1e9) return `${fixed(n / 1e6, 1)} MB`;
  return `${fixed(n / 1e9, 2)} GB`;
}
