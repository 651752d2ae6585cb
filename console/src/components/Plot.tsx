import Box from '@mui/material/Box';
import { useColorScheme, useTheme } from '@mui/material/styles';
import { useEffect, useRef, useState } from 'react';
import { fixed } from '../format/number';
import { clockTime, dateTime } from '../format/time';
import { seriesColour, seriesDash } from '../theme/series';

export interface PlotLine {
  name: string;
  /** Milliseconds since 1970, value. */
  points: [number, number][];
}

/** A single point; hollow where it is only doubted. */
export interface Mark {
  at: number;
  value: number;
  isHollow: boolean;
}

interface Props {
  label: string;
  title: string;
  zone: string;
  span: { from: number; to: number };
  lines: PlotLine[];
  marks?: Mark[];
  /** A soft band around the first line. */
  band?: [number, number, number][];
  height?: number;
}

const LEFT = 64;
const BOTTOM = 28;

/** A small drawing of values against time, for what is not followed live. */
export function Plot({ label, title, zone, span, lines, marks = [], band = [], height = 220 }: Props) {
  const { ref, width } = useWidth();
  const scheme = useScheme();
  const colours = useTheme().vars?.palette;
  // Caught values may be far off: the lines decide what is seen, marks stand at the edge.
  const seen = lines
    .flatMap((line) => line.points.map(([, value]) => value))
    .concat(band.flatMap(([, a, b]) => [a, b]));
  const [low, high] = range(seen.length > 0 ? seen : marks.map((mark) => mark.value));
  const right = lines.length > 1 ? 56 : 8;
  const x = (at: number) => LEFT + ((at - span.from) / (span.to - span.from || 1)) * (width - LEFT - right);
  const y = (value: number) => 10 + (1 - (value - low) / (high - low)) * (height - BOTTOM - 14);
  const clamp = (value: number) => Math.min(Math.max(value, low), high);
  const path = (points: [number, number][], longest = Infinity) =>
    points
      .map(([at, value], i) => {
        const isOpen = i === 0 || at - (points[i - 1]?.[0] ?? at) > longest;
        return `${isOpen ? 'M' : 'L'}${x(at).toFixed(1)} ${y(value).toFixed(1)}`;
      })
      .join('');
  const text = { fill: colours?.text.secondary ?? 'currentColor', fontSize: 13 };
  const labels = apart(
    lines.flatMap((line, i) => {
      const last = line.points.at(-1);
      return last && lines.length > 1 ? [{ name: line.name, i, y: y(last[1]) }] : [];
    }),
  );
  return (
    <Box component="figure" sx={{ m: 0, my: 1 }}>
      <Box component="figcaption" sx={{ fontWeight: 650 }}>
        {title}
      </Box>
      <Box ref={ref} sx={{ minHeight: height }}>
        {width > 0 && (
          <svg width={width} height={height} role="img" aria-label={label}>
            {ticks(low, high, 5).map((value) => (
              <g key={value}>
                <line x1={LEFT} x2={width - right} y1={y(value)} y2={y(value)} stroke={colours?.divider} />
                <text x={LEFT - 8} y={y(value) + 4} textAnchor="end" {...text}>
                  {fixed(value, decimalsOf(low, high))}
                </text>
              </g>
            ))}
            {times(span, Math.max(2, Math.floor(width / 190))).map((at) => (
              <text key={at} x={x(at)} y={height - 8} textAnchor="middle" {...text}>
                {span.to - span.from > 36e5 * 36 ? dateTime(at, zone).slice(5, 16) : clockTime(at, zone)}
              </text>
            ))}
            {band.length > 1 && (
              <path
                d={`${path(band.map(([at, a]) => [at, a]))}${path(band.toReversed().map(([at, , b]) => [at, b])).replace('M', 'L')}Z`}
                fill={seriesColour(0, scheme)}
                opacity={0.2}
              />
            )}
            {lines.map((line, i) => (
              <path
                key={line.name}
                d={path(line.points, gap(line.points, span))}
                fill="none"
                stroke={seriesColour(i, scheme)}
                strokeWidth={1.75}
                strokeDasharray={seriesDash(i).join(' ')}
              />
            ))}
            {marks.map(({ at, value, isHollow }) => (
              <circle
                key={at}
                cx={x(at)}
                cy={y(clamp(value))}
                r={3.5}
                fill={isHollow ? 'none' : colours?.error.main}
                stroke={isHollow ? colours?.warning.main : colours?.error.main}
                strokeWidth={1.5}
              />
            ))}
            {labels.map(({ name, i, y: at }) => (
              <text key={name} x={width - right + 6} y={at + 4} fontSize={13} fill={seriesColour(i, scheme)}>
                {name}
              </text>
            ))}
          </svg>
        )}
      </Box>
    </Box>
  );
}

/** From how long on a time without points is a gap, which stays open. */
function gap(points: [number, number][], span: Props['span']): number {
  const steps = points.slice(1).map(([at], i) => at - (points[i]?.[0] ?? at));
  const usual = steps.toSorted((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0;
  return Math.max(20 * usual, (span.to - span.from) / 50);
}

/** The width there is. */
export function useWidth() {
  const ref = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const resized = new ResizeObserver(() => setWidth(element.clientWidth));
    resized.observe(element);
    return () => resized.disconnect();
  }, []);
  return { ref, width };
}

export function useScheme(): 'light' | 'dark' {
  const { mode, systemMode } = useColorScheme();
  return (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
}

/** The least and greatest, a little apart from the edges. */
export function range(values: number[]): [number, number] {
  const low = values.reduce((a, b) => Math.min(a, b), Infinity);
  const high = values.reduce((a, b) => Math.max(a, b), -Infinity);
  if (low > high) return [0, 1];
  const pad = (high - low) * 0.06 || Math.abs(high) * 0.1 || 1;
  return [low - pad, high + pad];
}

/** Round numbers between two others, about so many. */
export function ticks(low: number, high: number, count: number): number[] {
  const rough = (high - low) / count;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough) ?? 10 * power;
  const first = Math.ceil(low / step);
  return Array.from(
    { length: Math.max(0, Math.floor(high / step) - first + 1) },
    (_, i) => (first + i) * step,
  );
}

/** Decimals that tell ticks of a range apart. */
export const decimalsOf = (low: number, high: number) =>
  Math.min(6, Math.max(0, Math.ceil(-Math.log10((high - low) / 5))));

function times({ from, to }: { from: number; to: number }, count: number): number[] {
  return Array.from({ length: count }, (_, i) => from + ((i + 0.5) / count) * (to - from));
}

function apart<T extends { y: number }>(labels: T[]): T[] {
  let lowest = -Infinity;
  return labels
    .toSorted((a, b) => a.y - b.y)
    .map((label) => {
      lowest = Math.max(label.y, lowest + 15);
      return { ...label, y: lowest };
    });
}
