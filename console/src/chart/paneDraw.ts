import type uPlot from 'uplot';
import type { Span } from '../api/pastQueries';
import { fixed, withUnit } from '../format/number';
import { dateTime } from '../format/time';
import { seriesColour } from '../theme/series';
import type { Line } from './lines';
import { nearestPlace } from './nearest';
import { NARROW } from './frame';
import type { Scheme } from './useScheme';
import { apart } from './picture';

const INK = {
  light: { night: '#1C243012', grey: '#55606E40', line: '#85600055', day: '#55606E66' },
  dark: { night: '#00000055', grey: '#A9B2BD40', line: '#E2A93B66', day: '#A9B2BD55' },
} as const;

/** A reading that is not good, where it would stand. */
export interface Doubt {
  at: number;
  value: number;
  isRejected: boolean;
}

/** What stands behind the lines, times in milliseconds. */
export interface Backdrop {
  nights: Span[];
  midnights: number[];
  /** Times of marks. */
  moments: number[];
  /** For each line its readings that are not good. */
  doubts: Doubt[][];
  /** Times in which readings of a line are not to be trusted. */
  greys: Span[];
}

/** Nights, times that are not to be trusted, the days' ends and the times of marks. */
export function drawBackdrop(
  u: uPlot,
  { nights, midnights, moments, greys }: Backdrop,
  scheme: Scheme,
): void {
  const { left, top, width, height } = u.bbox;
  const x = (ms: number) => Math.min(left + width, Math.max(left, u.valToPos(ms / 1000, 'x', true)));
  const ink = INK[scheme];
  u.ctx.save();
  u.ctx.fillStyle = ink.night;
  for (const { from, to } of nights) u.ctx.fillRect(x(from), top, x(to) - x(from), height);
  u.ctx.fillStyle = ink.grey;
  for (const { from, to } of greys) {
    const [start, end] = [x(from), x(to)];
    // The shortest is seen, too.
    if (to / 1000 > (u.scales.x?.min ?? 0) && from / 1000 < (u.scales.x?.max ?? 0))
      u.ctx.fillRect(start, top, Math.max(end - start, 2 * window.devicePixelRatio), height);
  }
  u.ctx.lineWidth = window.devicePixelRatio;
  const upright = (ms: number) => {
    const at = u.valToPos(ms / 1000, 'x', true);
    if (at < left || at > left + width) return;
    u.ctx.beginPath();
    u.ctx.moveTo(at, top);
    u.ctx.lineTo(at, top + height);
    u.ctx.stroke();
  };
  u.ctx.strokeStyle = ink.day;
  midnights.forEach(upright);
  u.ctx.strokeStyle = ink.line;
  u.ctx.setLineDash([3 * window.devicePixelRatio, 3 * window.devicePixelRatio]);
  moments.forEach(upright);
  u.ctx.restore();
}

/** A press that is so far from any line, in pixels, is meant for none. */
const REACH = 40;

/** The line that is nearest to the pointer, and the time of its value there in milliseconds. */
export function lineUnder(u: uPlot, lines: Line[]): { line: number; at: number } | undefined {
  const { idx, top } = u.cursor;
  if (idx == null || top === undefined) return undefined;
  const near = lines.flatMap((line, i) => {
    const column = u.data[3 * i + 3] ?? [];
    const place = nearestPlace(u.data[0], column, idx) ?? idx;
    const [at, value] = [u.data[0][place], column[place]];
    if (line.under !== undefined || at === undefined || typeof value !== 'number') return [];
    return [{ line: i, at: at * 1000, distance: Math.abs(u.valToPos(value, scaleOf(line)) - top) }];
  });
  const nearest = near.toSorted((a, b) => a.distance - b.distance)[0];
  return nearest && nearest.distance <= REACH ? nearest : undefined;
}

const scaleOf = ({ side }: Line): string => (side === 'right' ? 'right' : 'y');

/** From least to most of a bucket that is alone, as the band of a line would show it. */
export function drawLone(u: uPlot, lines: Line[], scheme: Scheme, lone: number[][]): void {
  if (lines[0]?.signal.type === 'flag') return;
  u.ctx.save();
  u.ctx.lineWidth = 1.75 * window.devicePixelRatio;
  lines.forEach((line, i) => {
    u.ctx.strokeStyle = seriesColour(line.tone, scheme);
    for (const place of lone[i] ?? []) {
      const [at, min, max] = [u.data[0][place], u.data[3 * i + 1]?.[place], u.data[3 * i + 2]?.[place]];
      if (at === undefined || typeof min !== 'number' || typeof max !== 'number' || min === max) continue;
      const x = u.valToPos(at, 'x', true);
      u.ctx.beginPath();
      u.ctx.moveTo(x, u.valToPos(min, scaleOf(line), true));
      u.ctx.lineTo(x, u.valToPos(max, scaleOf(line), true));
      u.ctx.stroke();
    }
  });
  u.ctx.restore();
}

/**
 * Readings that are not good: suspect ones as rings, rejected ones as crosses in rings. One that lies far off stands
 * at the edge.
 */
export function drawDoubts(u: uPlot, lines: Line[], scheme: Scheme, doubts: Doubt[][]): void {
  const ratio = window.devicePixelRatio;
  const { left, top, width, height } = u.bbox;
  const radius = 3.5 * ratio;
  u.ctx.save();
  u.ctx.lineWidth = 1.5 * ratio;
  lines.forEach((line, i) => {
    if (line.under !== undefined) return;
    u.ctx.strokeStyle = seriesColour(line.tone, scheme);
    for (const { at, value, isRejected } of doubts[i] ?? []) {
      const x = u.valToPos(at / 1000, 'x', true);
      if (x < left || x > left + width) continue;
      const level = u.valToPos(value, scaleOf(line), true);
      const y = Math.min(top + height - radius, Math.max(top + radius, level));
      u.ctx.beginPath();
      u.ctx.arc(x, y, radius, 0, 2 * Math.PI);
      if (isRejected) {
        const arm = radius * 0.7;
        u.ctx.moveTo(x - arm, y - arm);
        u.ctx.lineTo(x + arm, y + arm);
        u.ctx.moveTo(x - arm, y + arm);
        u.ctx.lineTo(x + arm, y - arm);
      }
      u.ctx.stroke();
    }
  });
  u.ctx.restore();
}

/** Writes each line's name at its right end, apart from each other. */
export function nameLines(u: uPlot, lines: Line[], scheme: Scheme, padding: number): void {
  const own = lines.filter(({ under }) => under === undefined);
  if (own.length < 2 || u.width < NARROW) return;
  const ratio = window.devicePixelRatio;
  const labels = own.flatMap((line, i) => {
    const last = (u.data[3 * i + 3] as (number | null | undefined)[]).findLast(
      (value) => typeof value === 'number',
    );
    const colour = seriesColour(line.tone, scheme);
    return typeof last === 'number'
      ? [{ name: line.name, colour, y: u.valToPos(last, scaleOf(line), true) }]
      : [];
  });
  u.ctx.save();
  u.ctx.font = `${13 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
  u.ctx.textBaseline = 'middle';
  u.ctx.textAlign = 'left';
  const end = u.width * ratio - padding * ratio;
  for (const { name, colour, y } of apart(labels, 15 * ratio)) {
    u.ctx.fillStyle = colour;
    u.ctx.fillText(fitting(u.ctx, name, (padding - 8) * ratio), end + 6 * ratio, y);
  }
  u.ctx.restore();
}

/** As much of a text as there is room for. */
function fitting(context: CanvasRenderingContext2D, text: string, room: number): string {
  if (context.measureText(text).width <= room) return text;
  let end = text.length;
  while (end > 1 && context.measureText(`${text.slice(0, end)}…`).width > room) end -= 1;
  return `${text.slice(0, end).trimEnd()}…`;
}

/** Says the values under the cursor beside the title, where nothing has to move for them. */
export function tell(u: uPlot, lines: Line[], zone: string, element: HTMLElement | null): void {
  if (!element) return;
  const at = u.cursor.idx;
  const time = at == null ? undefined : u.data[0][at];
  if (at == null || time === undefined || (u.cursor.left ?? -1) < 0) {
    element.textContent = '';
    return;
  }
  const parts = lines.map((line, i) => {
    const name = line.under === undefined ? line.name : `${line.name} ${line.under}`;
    const place = nearestPlace(u.data[0], u.data[3 * i + 3] ?? [], at) ?? at;
    const [min, max, mean] = [1, 2, 3].map((k) => u.data[3 * i + k]?.[place]);
    return `${name} ${valueText(line, { min, max, mean })}`;
  });
  element.textContent = `${dateTime(time * 1000, zone)}: ${parts.join(', ')}`;
}

type MaybeNumber = number | null | undefined;

/** A bucket's value, and from least to most if they differ. */
function valueText(
  { signal: { type, decimals, symbol } }: Line,
  { min, max, mean }: Record<'min' | 'max' | 'mean', MaybeNumber>,
): string {
  if (typeof mean !== 'number') return '—';
  if (type === 'flag') return mean >= 0.5 ? 'yes' : 'no';
  const text = withUnit(fixed(mean, decimals), symbol);
  const spread = typeof min === 'number' && typeof max === 'number' && max > min;
  return spread ? `${text} (${fixed(min, decimals)} to ${fixed(max, decimals)})` : text;
}
