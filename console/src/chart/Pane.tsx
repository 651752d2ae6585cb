import Box from '@mui/material/Box';
import { useEffect, useMemo, useRef } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import type { Span } from '../api/pastQueries';
import { seriesColour, seriesDash } from '../theme/series';
import { fullName, keyOf } from './drawn';
import { ownOf, titleOf, type Line } from './lines';
import { lineUnder, type Backdrop } from './paneDraw';
import { frameOf } from './frame';
import { paneOptions, zoomBy, type Current, type Ranges } from './paneOptions';
import { onPress } from './press';
import { factorOf } from './zoom';
import { aheadOf, mayMove, useMoving } from './useMoving';
import { useScheme, type Scheme } from './useScheme';
import type { Columns } from './series';

interface Props {
  lines: Line[];
  columns: Columns;
  span: Span;
  /** How long a time is that moves on with the screen, in milliseconds. */
  moving: number | undefined;
  zone: string;
  height: number;
  /** Some pane of the chart has names at its right. */
  isNamed: boolean;
  /** Some pane of the chart has a second axis. */
  hasRight: boolean;
  backdrop: Backdrop;
  /** From least to most of each axis, where another chart beside this one shares them. */
  ranges: Ranges | undefined;
  onZoom: (span: Span) => void;
  /** A value was pressed: of which signal, and its time in milliseconds. */
  onPick: (key: string, at: number) => void;
  summary: string;
}

/** One pane of a chart: signals against time, on one axis or two. */
export function Pane(props: Props) {
  const { lines, columns, span, zone, height, isNamed, hasRight, backdrop, onZoom, summary } = props;
  const { onPick, ranges } = props;
  const moving = props.moving !== undefined && mayMove() ? props.moving : undefined;
  const axis = useRef<HTMLCanvasElement>(null);
  const host = useRef<HTMLDivElement>(null);
  const readout = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const current = useRef<Current>({
    onZoom,
    onPick: () => undefined,
    backdrop,
    lone: columns.lone,
    ranges,
    onDrawn: () => undefined,
  });
  const scheme = useScheme();
  // Options are made anew only when what is drawn changes, not with each value.
  const identity = JSON.stringify(
    lines.map(({ signal, ...line }) => [
      signal.signal,
      fullName(signal),
      signal.symbol,
      signal.type,
      signal.decimals,
      line,
    ]),
  );
  const data = useMemo<uPlot.AlignedData>(
    () => [
      columns.times,
      ...lines.flatMap((_, i) => [columns.mins[i] ?? [], columns.maxs[i] ?? [], columns.means[i] ?? []]),
    ],
    [columns, lines],
  );

  useEffect(() => {
    const pick = (line: number, at: number) => {
      const signal = lines[line]?.signal;
      if (signal) onPick(keyOf(signal), at);
    };
    const onDrawn = (u: uPlot) => moving !== undefined && keepAxis(u, axis.current);
    current.current = { onZoom, onPick: pick, backdrop, lone: columns.lone, ranges, onDrawn };
  }, [onZoom, onPick, columns, backdrop, lines, ranges, moving]);

  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const frame = frameOf(isNamed, hasRight, element.clientWidth);
    const widthNow = () => {
      const { clientWidth } = element;
      const ahead = moving === undefined ? 0 : aheadOf(moving, clientWidth - frame.left - frame.right);
      return Math.round(clientWidth + ahead);
    };
    // What is after the end of a window that moves is not shown yet.
    element.style.clipPath = moving === undefined ? '' : `inset(0 ${frame.right}px 0 0)`;
    const options = paneOptions({
      lines,
      zone,
      height,
      scheme,
      frame,
      width: widthNow(),
      readout: () => readout.current,
      current: () => current.current,
    });
    const made = new uPlot(options, [[], ...lines.flatMap(() => [[], [], []])], element);
    plot.current = made;
    // A wheel alone scrolls the page; with the control key, as a pinch has it, it zooms.
    const onWheel = (event: WheelEvent) => {
      if (!event.ctrlKey) return;
      event.preventDefault();
      const left = event.clientX - made.over.getBoundingClientRect().left;
      zoomBy(made, factorOf(event.deltaY), made.posToVal(left, 'x'), (s) => current.current.onZoom(s));
    };
    made.over.addEventListener('wheel', onWheel, { passive: false });
    // A plot that moves is not where it was when the pointer came.
    const onMove = () => made.syncRect(false);
    made.over.addEventListener('pointermove', onMove);
    const removePress = onPress(made.over, () => {
      const found = lineUnder(made, lines);
      if (found) current.current.onPick(found.line, found.at);
    });
    const resized = new ResizeObserver(() => made.setSize({ width: widthNow(), height }));
    resized.observe(element);
    return () => {
      resized.disconnect();
      removePress();
      made.destroy();
      plot.current = null;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `identity` stands for `lines`
  }, [identity, zone, height, scheme, isNamed, hasRight, moving]);

  const drawMoving = useMoving(plot, moving, columns.times.at(-1));
  // What moves by itself is not drawn for each tick of the clock.
  const [from, to] = moving === undefined ? [span.from, span.to] : [0, 0];
  useEffect(() => {
    plot.current?.setData(data, false);
    if (moving === undefined) plot.current?.setScale('x', { min: from / 1000, max: to / 1000 });
    else drawMoving();
  }, [
    data,
    from,
    to,
    moving,
    drawMoving,
    backdrop,
    ranges,
    identity,
    zone,
    height,
    scheme,
    isNamed,
    hasRight,
  ]);

  const own = ownOf(lines);
  return (
    <Box component="figure" sx={{ m: 0, mb: 1 }}>
      <Box component="figcaption" sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, minHeight: 24 }}>
        <Box component="span" sx={{ fontWeight: 650 }}>
          {titleOf(own)}
        </Box>
        <Box ref={readout} component="span" data-readout sx={{ color: 'text.secondary' }} />
      </Box>
      {own.length > 1 && <Legend lines={own} scheme={scheme} />}
      <Box sx={{ position: 'relative', overflow: 'hidden', minHeight: height }}>
        <Box
          ref={host}
          role="img"
          aria-label={summary}
          sx={{
            '& .u-select': { bgcolor: 'action.selected' },
            minHeight: height,
          }}
        />
        {moving !== undefined && (
          <Box
            component="canvas"
            ref={axis}
            aria-hidden
            sx={{ position: 'absolute', top: 0, left: 0, pointerEvents: 'none' }}
          />
        )}
      </Box>
    </Box>
  );
}

/** Keeps the axis at the left where it is, over a plot that moves along below it. */
function keepAxis(u: uPlot, axis: HTMLCanvasElement | null): void {
  const { canvas } = u.ctx;
  const context = axis?.getContext('2d');
  if (!axis || !context) return;
  const ratio = window.devicePixelRatio;
  axis.width = u.bbox.left;
  axis.height = canvas.height;
  axis.style.width = `${axis.width / ratio}px`;
  axis.style.height = `${axis.height / ratio}px`;
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, axis.width, axis.height);
  context.drawImage(canvas, 0, 0);
}

/** Which line is which, where there is no room beside them. */
function Legend({ lines, scheme }: { lines: Line[]; scheme: Scheme }) {
  return (
    <Box aria-hidden sx={{ display: { xs: 'flex', sm: 'none' }, flexWrap: 'wrap', columnGap: 2 }}>
      {lines.map(({ name, tone }) => (
        <Box key={name} component="span" sx={{ color: seriesColour(tone, scheme), fontSize: 13 }}>
          <svg width={22} height={8} aria-hidden>
            <path
              d="M0 4h20"
              stroke={seriesColour(tone, scheme)}
              strokeWidth={2}
              strokeDasharray={seriesDash(tone).join(' ')}
            />
          </svg>
          {name}
        </Box>
      ))}
    </Box>
  );
}
