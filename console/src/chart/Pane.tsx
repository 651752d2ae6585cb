import Box from '@mui/material/Box';
import { useEffect, useMemo, useRef } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import type { Span } from '../api/queries';
import { fixed, withUnit } from '../format/number';
import { serviceNow } from '../format/clock';
import { dateTime } from '../format/time';
import { seriesColour, seriesDash } from '../theme/series';
import { axisNumbers } from './axisNumbers';
import { fullName, shortNames, type Drawn } from './drawn';
import { apart } from './picture';
import { factorOf, zoomed } from './zoom';
import { useScheme } from './useScheme';
import { axisTitle, sideTitle, type Columns } from './series';

const COLOURS = {
  light: { text: '#55606E', line: '#E3DAC8' },
  dark: { text: '#A9B2BD', line: '#2A3644' },
} as const;
const FONT = '13px "Atkinson Hyperlegible Next Variable", sans-serif';
const SECOND = 1;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;
/** Room at the right for the names of lines, if a pane of the chart has several. */
const labelRoom = (isNamed: boolean, width: number) => (!isNamed || width < NARROW ? 16 : 150);
/** Where charts are so narrow, names stand under the title instead. */
const NARROW = 500;

/** How times are written on the axis, from a year down: 24-hour clock, ISO order. */
const TIMES: uPlot.Axis.DynamicValues | (string | number | null)[][] = [
  [365 * DAY, '{YYYY}', null, null, null, null, null, null, 1],
  [28 * DAY, '{YYYY}-{MM}', null, null, null, null, null, null, 1],
  [DAY, '{MM}-{DD}', '\n{YYYY}', null, null, null, null, null, 1],
  [MINUTE, '{HH}:{mm}', '\n{YYYY}-{MM}-{DD}', null, '\n{MM}-{DD}', null, null, null, 1],
  [SECOND, '{HH}:{mm}:{ss}', '\n{YYYY}-{MM}-{DD}', null, '\n{MM}-{DD}', null, null, null, 1],
  [0.001, '{ss}.{fff}', '\n{HH}:{mm}', null, '\n{HH}:{mm}', null, '\n{HH}:{mm}', null, 1],
];

interface Props {
  pane: Drawn[];
  columns: Columns;
  span: Span;
  zone: string;
  height: number;
  /** Some pane of the chart has names at its right: all leave room, so that their times align. */
  isNamed: boolean;
  onZoom: (span: Span) => void;
  summary: string;
}

/** One pane of a chart: signals of one unit against time. */
export function Pane({ pane, columns, span, zone, height, isNamed, onZoom, summary }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const readout = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const zoom = useRef(onZoom);
  const lone = useRef(columns.lone);
  const scheme = useScheme();
  // Options are made anew only when what is drawn changes, not with each value.
  const identity = JSON.stringify(
    pane.map((signal) => [signal.signal, fullName(signal), signal.symbol, signal.type, signal.decimals]),
  );
  const data = useMemo<uPlot.AlignedData>(
    () => [
      columns.times,
      ...pane.flatMap((_, i) => [columns.mins[i] ?? [], columns.maxs[i] ?? [], columns.means[i] ?? []]),
    ],
    [columns, pane],
  );

  useEffect(() => {
    zoom.current = onZoom;
    lone.current = columns.lone;
  }, [onZoom, columns]);

  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const options = paneOptions({
      pane,
      zone,
      height,
      scheme,
      isNamed,
      width: element.clientWidth,
      readout: () => readout.current,
      onZoom: (s) => zoom.current(s),
      lone: (line) => lone.current[line] ?? [],
    });
    const made = new uPlot(options, [[], ...pane.flatMap(() => [[], [], []])], element);
    plot.current = made;
    // A wheel alone scrolls the page; with the control key, as a pinch has it, it zooms.
    const onWheel = (event: WheelEvent) => {
      if (!event.ctrlKey) return;
      event.preventDefault();
      const left = event.clientX - made.over.getBoundingClientRect().left;
      zoomBy(made, factorOf(event.deltaY), made.posToVal(left, 'x'), (s) => zoom.current(s));
    };
    made.over.addEventListener('wheel', onWheel, { passive: false });
    const resized = new ResizeObserver(() => made.setSize({ width: element.clientWidth, height }));
    resized.observe(element);
    return () => {
      resized.disconnect();
      made.destroy();
      plot.current = null;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `identity` stands for `pane`
  }, [identity, zone, height, scheme, isNamed]);

  useEffect(() => {
    plot.current?.setData(data, false);
    plot.current?.setScale('x', { min: span.from / 1000, max: span.to / 1000 });
  }, [data, span.from, span.to, identity, zone, height, scheme, isNamed]);

  return (
    <Box component="figure" sx={{ m: 0, mb: 1 }}>
      <Box component="figcaption" sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, minHeight: 24 }}>
        <Box component="span" sx={{ fontWeight: 650 }}>
          {axisTitle(pane)}
        </Box>
        <Box ref={readout} component="span" data-readout sx={{ color: 'text.secondary' }} />
      </Box>
      {pane.length > 1 && <Legend pane={pane} scheme={scheme} />}
      <Box
        ref={host}
        role="img"
        aria-label={summary}
        sx={{ '& .u-select': { bgcolor: 'action.selected' }, minHeight: height }}
      />
    </Box>
  );
}

/** Which line is which, where there is no room beside them. */
function Legend({ pane, scheme }: { pane: Drawn[]; scheme: 'light' | 'dark' }) {
  return (
    <Box aria-hidden sx={{ display: { xs: 'flex', sm: 'none' }, flexWrap: 'wrap', columnGap: 2 }}>
      {shortNames(pane).map((name, i) => (
        <Box key={name} component="span" sx={{ color: seriesColour(i, scheme), fontSize: 13 }}>
          <svg width={22} height={8} aria-hidden>
            <path
              d="M0 4h20"
              stroke={seriesColour(i, scheme)}
              strokeWidth={2}
              strokeDasharray={seriesDash(i).join(' ')}
            />
          </svg>
          {name}
        </Box>
      ))}
    </Box>
  );
}

interface OptionParts {
  pane: Drawn[];
  zone: string;
  width: number;
  height: number;
  scheme: 'light' | 'dark';
  isNamed: boolean;
  readout: () => HTMLElement | null;
  onZoom: (span: Span) => void;
  /** Places of a line's points that no line leads to. */
  lone: (line: number) => number[];
}

function paneOptions({
  pane,
  zone,
  width,
  height,
  scheme,
  isNamed,
  readout,
  onZoom,
  lone,
}: OptionParts): uPlot.Options {
  const colours = COLOURS[scheme];
  const isFlag = pane[0]?.type === 'flag';
  const axis = {
    stroke: colours.text,
    font: FONT,
    grid: { stroke: colours.line, width: 1 },
    ticks: { stroke: colours.line, width: 1 },
  };
  const step = isFlag ? uPlot.paths.stepped?.({ align: 1 }) : undefined;
  return {
    width,
    height,
    padding: [8, labelRoom(isNamed, width), 0, 0],
    tzDate: (seconds) => uPlot.tzDate(new Date(seconds * 1000), zone),
    legend: { show: false },
    cursor: {
      sync: { key: 'history' },
      drag: { x: true, y: false, setScale: false },
      points: { size: 7 },
      // Twice on the chart goes out again.
      bind: { dblclick: (u) => () => (zoomBy(u, 2, middleOf(u), onZoom), null) },
    },
    scales: {
      y: isFlag
        ? { range: [-0.1, 1.1] }
        : { range: { min: { pad: 0.1, mode: 0 }, max: { pad: 0.1, mode: 0 } } },
    },
    axes: [
      { ...axis, values: TIMES, space: 64, size: 50 },
      {
        ...axis,
        size: 64,
        space: 28,
        label: sideTitle(pane),
        labelSize: 20,
        labelFont: FONT,
        ...(isFlag
          ? { splits: [0, 1], values: () => ['no', 'yes'] }
          : { values: (_: uPlot, splits: number[]) => axisNumbers(splits) }),
      },
    ],
    series: [
      {},
      ...pane.flatMap((signal, i) => {
        const stroke = seriesColour(i, scheme);
        const edge = { stroke: 'transparent', width: 0, points: { show: false } };
        return [
          edge,
          edge,
          {
            label: fullName(signal),
            stroke,
            width: 1.75,
            dash: seriesDash(i),
            spanGaps: false,
            points: {
              show: showPoints,
              size: 5,
              fill: stroke,
              filter: (_: uPlot, __: number, all: boolean) => (all ? null : lone(i)),
            },
            ...(step ? { paths: step } : {}),
          },
        ];
      }),
    ],
    bands: isFlag
      ? []
      : pane.map((_, i) => ({ series: [3 * i + 2, 3 * i + 1], fill: `${seriesColour(i, scheme)}33` })),
    hooks: {
      draw: [(u) => drawLone(u, pane, scheme, lone), (u) => nameLines(u, pane, scheme)],
      setCursor: [(u) => tell(u, pane, zone, readout())],
      setSelect: [
        (u) => {
          if (u.select.width < 4) return;
          const [from, to] = [
            u.posToVal(u.select.left, 'x'),
            u.posToVal(u.select.left + u.select.width, 'x'),
          ];
          u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
          onZoom({ from: from * 1000, to: to * 1000 });
        },
      ],
    },
  };
}

const middleOf = (u: uPlot): number => ((u.scales.x?.min ?? 0) + (u.scales.x?.max ?? 0)) / 2;

/** Makes what is shown longer or shorter around a moment in seconds. */
function zoomBy(u: uPlot, factor: number, at: number, onZoom: (span: Span) => void): void {
  const { min, max } = u.scales.x ?? {};
  if (min == null || max == null) return;
  onZoom(zoomed({ from: min * 1000, to: max * 1000 }, factor, at * 1000, serviceNow()));
}

/** Single points are drawn where there are few enough to be told apart. */
function showPoints(u: uPlot, _: number, from: number, to: number): boolean {
  return to - from < u.width / 12;
}

/** From least to most of a bucket that is alone, as the band of a line would show it. */
function drawLone(u: uPlot, pane: Drawn[], scheme: 'light' | 'dark', lone: (line: number) => number[]): void {
  if (pane[0]?.type === 'flag') return;
  u.ctx.save();
  u.ctx.lineWidth = 1.75 * window.devicePixelRatio;
  pane.forEach((_, i) => {
    u.ctx.strokeStyle = seriesColour(i, scheme);
    for (const place of lone(i)) {
      const [at, min, max] = [u.data[0][place], u.data[3 * i + 1]?.[place], u.data[3 * i + 2]?.[place]];
      if (at === undefined || typeof min !== 'number' || typeof max !== 'number' || min === max) continue;
      const x = u.valToPos(at, 'x', true);
      u.ctx.beginPath();
      u.ctx.moveTo(x, u.valToPos(min, 'y', true));
      u.ctx.lineTo(x, u.valToPos(max, 'y', true));
      u.ctx.stroke();
    }
  });
  u.ctx.restore();
}

/** Writes each line's name at its right end, apart from each other. */
function nameLines(u: uPlot, pane: Drawn[], scheme: 'light' | 'dark'): void {
  if (pane.length < 2 || u.width < NARROW) return;
  const names = shortNames(pane);
  const ratio = window.devicePixelRatio;
  const labels = pane.flatMap((_, i) => {
    const last = (u.data[3 * i + 3] as (number | null | undefined)[]).findLast(
      (value) => typeof value === 'number',
    );
    return typeof last === 'number'
      ? [{ name: names[i] ?? '', colour: seriesColour(i, scheme), y: u.valToPos(last, 'y', true) }]
      : [];
  });
  u.ctx.save();
  u.ctx.font = `${13 * ratio}px "Atkinson Hyperlegible Next Variable", sans-serif`;
  u.ctx.textBaseline = 'middle';
  u.ctx.textAlign = 'left';
  const room = (labelRoom(true, u.width) - 8) * ratio;
  for (const { name, colour, y } of apart(labels, 15 * ratio)) {
    u.ctx.fillStyle = colour;
    u.ctx.fillText(fitting(u.ctx, name, room), u.bbox.left + u.bbox.width + 6 * ratio, y);
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
function tell(u: uPlot, pane: Drawn[], zone: string, element: HTMLElement | null): void {
  if (!element) return;
  const at = u.cursor.idx;
  const time = at == null ? undefined : u.data[0][at];
  if (at == null || time === undefined || (u.cursor.left ?? -1) < 0) {
    element.textContent = '';
    return;
  }
  const names = shortNames(pane);
  const parts = pane.map((signal, i) => {
    const name = names[i] ?? '';
    const [min, max, mean] = [1, 2, 3].map((k) => u.data[3 * i + k]?.[at]);
    if (typeof mean !== 'number') return `${name} —`;
    if (signal.type === 'flag') return `${name} ${mean >= 0.5 ? 'yes' : 'no'}`;
    const text = withUnit(fixed(mean, signal.decimals), signal.symbol);
    const spread = typeof min === 'number' && typeof max === 'number' && max > min;
    return `${name} ${text}${spread ? ` (${fixed(min, signal.decimals)} to ${fixed(max, signal.decimals)})` : ''}`;
  });
  element.textContent = `${dateTime(time * 1000, zone)}: ${parts.join(', ')}`;
}
