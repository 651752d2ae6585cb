import uPlot from 'uplot';
import type { Span } from '../api/pastQueries';
import { serviceNow } from '../format/clock';
import { zoneDate } from '../format/zoneClock';
import { fullName } from './drawn';
import { seriesColour, seriesDash } from '../theme/series';
import { axisNumbers } from './axisNumbers';
import { AXIS, type Frame } from './frame';
import type { Line } from './lines';
import { drawBackdrop, drawDoubts, drawLone, nameLines, tell, type Backdrop } from './paneDraw';
import { nearestPlace } from './nearest';
import { sideTitle } from './series';
import type { Scheme } from './useScheme';
import { zoomed } from './zoom';

const COLOURS = {
  light: { text: '#55606E', line: '#E3DAC8' },
  dark: { text: '#A9B2BD', line: '#2A3644' },
} as const;
const FONT = '13px "Atkinson Hyperlegible Next Variable", sans-serif';
const SECOND = 1;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;
/** How times are written on the axis, from a year down: 24-hour clock, ISO order. */
const TIMES: uPlot.Axis.DynamicValues | (string | number | null)[][] = [
  [365 * DAY, '{YYYY}', null, null, null, null, null, null, 1],
  [28 * DAY, '{YYYY}-{MM}', null, null, null, null, null, null, 1],
  [DAY, '{MM}-{DD}', '\n{YYYY}', null, null, null, null, null, 1],
  [MINUTE, '{HH}:{mm}', '\n{YYYY}-{MM}-{DD}', null, '\n{MM}-{DD}', null, null, null, 1],
  [SECOND, '{HH}:{mm}:{ss}', '\n{YYYY}-{MM}-{DD}', null, '\n{MM}-{DD}', null, null, null, 1],
  [0.001, '{ss}.{fff}', '\n{HH}:{mm}', null, '\n{HH}:{mm}', null, '\n{HH}:{mm}', null, 1],
];

/** What may change without the plot being made anew. */
export interface Current {
  onZoom: (span: Span) => void;
  /** A line was pressed at a time in milliseconds. */
  onPick: (line: number, at: number) => void;
  backdrop: Backdrop;
  /** For each line the places of points that no line leads to. */
  lone: number[][];
  /** From least to most of each axis, where that is not for the values shown alone to say. */
  ranges: Ranges | undefined;
  /** All has been drawn. */
  onDrawn: (u: uPlot) => void;
}

/** From least to most of each axis. */
export interface Ranges {
  left: [number, number];
  right: [number, number];
}

interface OptionParts {
  lines: Line[];
  zone: string;
  width: number;
  height: number;
  scheme: Scheme;
  frame: Frame;
  readout: () => HTMLElement | null;
  current: () => Current;
}

/** How a pane is drawn: for each line three columns, its least, its most and its mean. */
export function paneOptions(parts: OptionParts): uPlot.Options {
  const { lines, zone, width, height, scheme, frame, readout, current } = parts;
  const isFlag = lines[0]?.signal.type === 'flag';
  const right = lines.filter(({ side }) => side === 'right');
  const padding = frame.right - (right.length > 0 ? AXIS.numbers + AXIS.title : 0);
  const room = { min: { pad: 0.1, mode: 0 as const }, max: { pad: 0.1, mode: 0 as const } };
  const range = (side: keyof Ranges): uPlot.Scale => ({
    range: (_, low, high) => {
      const told = current().ranges?.[side];
      if (told !== undefined) return told;
      return low === null || high === null ? [0, 1] : uPlot.rangeNum(low, high, room);
    },
  });
  return {
    width,
    height,
    padding: [8, padding, 0, 0],
    // The library's own asks for the zone's rules each time.
    tzDate: (seconds) => zoneDate(seconds * 1000, zone),
    legend: { show: false },
    cursor: {
      sync: { key: 'history' },
      drag: { x: true, y: false, setScale: false },
      points: { size: 7 },
      dataIdx: (u, series, at) => nearestPlace(u.data[0], u.data[series] ?? [], at) ?? at,
      // Twice on the chart goes out again.
      bind: { dblclick: (u) => () => (zoomBy(u, 2, middleOf(u), current().onZoom), null) },
    },
    scales: {
      y: isFlag ? { range: [-0.1, 1.1] } : range('left'),
      ...(right.length > 0 ? { right: range('right') } : {}),
    },
    axes: axesOf(lines, isFlag, scheme),
    series: [
      {},
      ...lines.flatMap((line, i) => columnsOf(line, isFlag, scheme, () => current().lone[i] ?? [])),
    ],
    bands: isFlag
      ? []
      : lines.flatMap(({ tone, under }, i) =>
          under === undefined
            ? [
                {
                  series: [3 * i + 2, 3 * i + 1] as [number, number],
                  fill: `${seriesColour(tone, scheme)}33`,
                },
              ]
            : [],
        ),
    hooks: {
      drawClear: [(u) => drawBackdrop(u, current().backdrop, scheme)],
      draw: [
        (u) => drawLone(u, lines, scheme, current().lone),
        (u) => drawDoubts(u, lines, scheme, current().backdrop.doubts),
        (u) => nameLines(u, lines, scheme, padding),
        (u) => current().onDrawn(u),
      ],
      setCursor: [(u) => tell(u, lines, zone, readout())],
      setSelect: [(u) => select(u, current().onZoom)],
    },
  };
}

function axesOf(lines: Line[], isFlag: boolean, scheme: Scheme): uPlot.Axis[] {
  const colours = COLOURS[scheme];
  const axis = {
    stroke: colours.text,
    font: FONT,
    grid: { stroke: colours.line, width: 1 },
    ticks: { stroke: colours.line, width: 1 },
  };
  const up = {
    ...axis,
    size: AXIS.numbers,
    space: 28,
    labelSize: AXIS.title,
    labelFont: FONT,
    values: (_: uPlot, splits: number[]) => axisNumbers(splits),
  };
  const own = lines.filter(({ under }) => under === undefined);
  const titled = (side: Line['side']) =>
    sideTitle(own.filter((line) => line.side === side).map(({ signal }) => signal));
  const flags = { splits: [0, 1], values: () => ['no', 'yes'] };
  return [
    { ...axis, values: TIMES, space: 64, size: 50 },
    { ...up, label: titled('left'), ...(isFlag ? flags : {}) },
    ...(own.some(({ side }) => side === 'right')
      ? [{ ...up, scale: 'right', side: 1 as const, label: titled('right'), grid: { show: false } }]
      : []),
  ];
}

function columnsOf(line: Line, isFlag: boolean, scheme: Scheme, lone: () => number[]): uPlot.Series[] {
  const { signal, tone, side, under } = line;
  const stroke = seriesColour(tone, scheme);
  const scale = side === 'right' ? 'right' : 'y';
  const edge = { scale, stroke: 'transparent', width: 0, points: { show: false } };
  const step = isFlag ? uPlot.paths.stepped?.({ align: 1 }) : undefined;
  const look =
    under === undefined
      ? { stroke, width: 1.75, dash: seriesDash(tone) }
      : { stroke: `${stroke}B0`, width: 1.25, dash: [2, 3] };
  return [
    edge,
    edge,
    {
      label: fullName(signal),
      scale,
      ...look,
      spanGaps: false,
      points: {
        show: (u: uPlot, _: number, from: number, to: number) =>
          // Single points are drawn where there are few enough to be told apart.
          under === undefined && to - from < u.width / 12,
        size: 5,
        fill: stroke,
        filter: (_: uPlot, __: number, all: boolean) => (all ? null : lone()),
      },
      ...(step ? { paths: step } : {}),
    },
  ];
}

function select(u: uPlot, onZoom: (span: Span) => void): void {
  const { left, width } = u.select;
  if (width < 4) return;
  const [from, to] = [u.posToVal(left, 'x'), u.posToVal(left + width, 'x')];
  u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
  onZoom({ from: from * 1000, to: to * 1000 });
}

const middleOf = (u: uPlot): number => ((u.scales.x?.min ?? 0) + (u.scales.x?.max ?? 0)) / 2;

/** Makes what is shown longer or shorter around a moment in seconds. */
export function zoomBy(u: uPlot, factor: number, at: number, onZoom: (span: Span) => void): void {
  const { min, max } = u.scales.x ?? {};
  if (min == null || max == null) return;
  onZoom(zoomed({ from: min * 1000, to: max * 1000 }, factor, at * 1000, serviceNow()));
}
