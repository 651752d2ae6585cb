import type { Direction, Fix, Trend, ReadingValue as Value, ValueType } from '../api/schema';
import { marked } from './mark';

const MINUS = '\u2212';
/** Narrow, and no line ends there. */
const THIN = '\u202f';

/** A number with so many decimals and a real minus sign. */
export function fixed(value: number, decimals: number): string {
  const size = Math.abs(value);
  const text = size !== 0 && (size < 1e-6 || size >= 1e15) ? value.toExponential(3) : value.toFixed(decimals);
  // A value that rounds to nothing has no sign.
  return marked((Number(text) === 0 ? text.replace('-', '') : text).replace('-', MINUS));
}

/** Decimals a number is written with, at most 6. */
export const decimalsIn = (value: number): number => Math.min(6, String(value).split('.')[1]?.length ?? 0);

/** Decimals a value was sent with. */
export const decimalsOf = (value: Value | undefined): number => {
  if (typeof value === 'number') return decimalsIn(value);
  return typeof value === 'object' ? Math.max(decimalsIn(value.latitude), decimalsIn(value.longitude)) : 0;
};

/** A value as people read it; numbers with so many decimals. */
export function shown(value: Value | undefined, decimals: number): string {
  if (value === undefined) return '—';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'object') return place(value, decimals);
  return typeof value === 'number' ? fixed(value, decimals) : value;
}

/** A value with each of its digits. */
export const asSent = (value: Value): string =>
  typeof value === 'object'
    ? place(value, decimalsOf(value))
    : typeof value === 'number'
      ? marked(String(value))
      : String(value);

/** A position as people write it, its degrees with so many decimals. */
export function place({ latitude, longitude, altitude_m }: Fix, decimals: number): string {
  const degrees = (value: number, positive: string, negative: string) =>
    `${fixed(Math.abs(value), decimals)}°${THIN}${value < 0 ? negative : positive}`;
  const height = altitude_m === undefined ? '' : `, ${withUnit(fixed(altitude_m, 0), 'm')}`;
  return `${degrees(latitude, 'N', 'S')} ${degrees(longitude, 'E', 'W')}${height}`;
}

/** Whether a chart can draw it. */
export const isDrawn = ({ type }: { type: ValueType }): boolean => type === 'number' || type === 'flag';

/** Whether a chart can show a signal: as a line, or as spans of time with a text in them. */
export const isShownInTime = ({ type }: { type: ValueType }): boolean => isDrawn({ type }) || type === 'text';

/** How many there are. The space between thousands is no decimal mark anywhere (ISO 80000-1). */
export const grouped = (many: number): string => String(many).replace(/\B(?=(\d{3})+$)/g, THIN);

/** A number with its unit after a thin space. */
export function withUnit(text: string, symbol: string): string {
  return symbol === '' || text === '—' ? text : `${text}${THIN}${symbol}`;
}

/** Decimals with which a number that was worked out has four significant digits, at most 6. */
export const worthShowing = (value: number): number =>
  value === 0 ? 0 : Math.min(6, Math.max(0, 3 - Math.floor(Math.log10(Math.abs(value)))));

/** A number that was worked out. */
export const worked = (value: number): string => fixed(value, worthShowing(value));

/** A number that was worked out, to be added or taken away: its sign, then the rest with its unit. */
export const added = (value: number, symbol: string): string =>
  `${value < 0 ? MINUS : '+'} ${withUnit(worked(Math.abs(value)), symbol)}`;

/** Two significant digits. */
export function significant(value: number): string {
  if (value === 0) return '0';
  const decimals = Math.min(6, Math.max(0, 1 - Math.floor(Math.log10(Math.abs(value)))));
  return fixed(value, decimals);
}

const ARROWS: Record<Direction, string> = { rising: '↗', falling: '↘', steady: '→' };

/** A difference with its sign; one too small to be told has none. */
export const signed = (value: number, decimals: number): string =>
  `${value > 0 && Number(value.toFixed(decimals)) !== 0 ? '+' : ''}${fixed(value, decimals)}`;

/** Arrow and signed rate of change, and the same in words. */
export function change(trend: Trend | undefined, symbol: string): { text: string; words: string } {
  if (trend === undefined) return { text: '', words: 'no direction yet' };
  const arrow = ARROWS[trend.direction];
  if (trend.direction === 'steady') return { text: `${arrow} steady`, words: 'steady' };
  const fast = Math.abs(trend.per_hour) >= 3600;
  const rate = Math.abs(fast ? trend.per_hour / 3600 : trend.per_hour);
  const amount = `${withUnit(significant(rate), symbol)}/${fast ? 's' : 'h'}`;
  const sign = trend.per_hour < 0 ? MINUS : '+';
  return { text: `${arrow} ${sign}${amount}`, words: `${trend.direction} by ${amount}` };
}
