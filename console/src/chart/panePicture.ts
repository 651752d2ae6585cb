import type { Span } from '../api/pastQueries';
import { bandOf, stepped } from './columnLayers';
import type { Line } from './lines';
import type { Backdrop } from './paneDraw';
import { roomFor, valuesOf, type Layer, type Picture } from './picture';
import type { Columns } from './series';

/** A pane of a chart as a picture, with what stands behind its lines. */
export function panePicture(
  lines: Line[],
  columns: Columns,
  { nights, greys, doubts }: Pick<Backdrop, 'nights' | 'greys' | 'doubts'>,
  span: Span,
  zone: string,
): Picture {
  const isFlag = lines[0]?.signal.type === 'flag';
  const drawn = lines.flatMap((line, i) => layersOf(line, columns, i, isFlag));
  const on = (side: Layer['side']) => drawn.filter((layer) => layer.side === side);
  const range = (side: Layer['side']) => roomFor(valuesOf(on(side)));
  const shade = (spans: Span[]): Layer[] =>
    spans.length === 0 ? [] : [{ kind: 'shade', tone: 'quiet', spans: within(spans, span) }];
  const rings = lines.flatMap(({ tone, side, under }, i): Layer[] => {
    const places = (doubts[i] ?? []).map(({ at, value }) => [at, value] as const);
    if (under !== undefined || places.length === 0) return [];
    return [{ kind: 'dots', look: 'hollow', tone, places, ...(side === 'right' ? { side } : {}) }];
  });
  return {
    across: { kind: 'time', span, zone },
    up: isFlag ? [-0.1, 1.1] : range(undefined),
    ...(on('right').length > 0 ? { right: range('right') } : {}),
    layers: [...shade(nights), ...shade(greys), ...drawn, ...rings],
  };
}

function layersOf(
  { name, tone, side, under }: Line,
  columns: Columns,
  which: number,
  isFlag: boolean,
): Layer[] {
  const [band, line] = bandOf(columns, which, tone, under === undefined ? name : '');
  const on = side === 'right' ? { side } : {};
  if (under !== undefined) return [{ ...line, look: 'dotted', ...on }];
  if (isFlag) return [{ ...line, places: stepped(line.places), ...on }];
  return [
    { ...band, ...on },
    { ...line, ...on },
  ];
}

/** The parts of spans inside a time. */
const within = (spans: Span[], { from, to }: Span): Span[] =>
  spans
    .filter((one) => one.to > from && one.from < to)
    .map((one) => ({ from: Math.max(one.from, from), to: Math.min(one.to, to) }));
