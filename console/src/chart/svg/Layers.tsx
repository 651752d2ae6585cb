import { area, line } from 'd3-shape';
import { seriesColour, seriesDash } from '../../theme/series';
import { usePalette, useScheme } from '../useScheme';
import type { Layer, Place, Tone } from '../picture';

/** Where values lie in the drawing. */
export interface Scales {
  x: (at: number) => number;
  y: (value: number) => number;
  /** Top and bottom of what is drawn. */
  top: number;
  bottom: number;
}

/** The colour of a tone in the scheme that is on. */
export function useColour(): (tone: Tone) => string {
  const scheme = useScheme();
  const palette = usePalette();
  return (tone) => {
    if (typeof tone === 'number') return seriesColour(tone, scheme);
    return {
      wrong: palette.error.main,
      doubtful: palette.warning.main,
      quiet: palette.text.secondary,
      trace: palette.secondary.main,
      low: palette.primary.main,
    }[tone];
  };
}

/** Everything that is drawn of a picture between its axes. */
export function Layers({ layers, scales }: { layers: Layer[]; scales: Scales }) {
  const colour = useColour();
  return layers.map((layer, i) => <One key={i} layer={layer} scales={scales} colour={colour} />);
}

interface OneProps {
  layer: Layer;
  scales: Scales;
  colour: (tone: Tone) => string;
}

function One({ layer, scales, colour }: OneProps) {
  switch (layer.kind) {
    case 'line':
      return (
        <>
          <path
            d={linePath(layer.places, scales)}
            fill="none"
            stroke={colour(layer.tone)}
            strokeWidth={layer.look === 'thick' ? 2 : 1.75}
            strokeDasharray={dashes(layer)}
            strokeLinejoin="round"
            vectorEffect="non-scaling-stroke"
          />
          <path
            data-lone
            d={lonePath(layer.places, scales)}
            fill="none"
            stroke={colour(layer.tone)}
            strokeWidth={4.5}
            strokeLinecap="round"
            vectorEffect="non-scaling-stroke"
          />
        </>
      );
    case 'band':
      return <path d={bandPath(layer.ranges, scales)} fill={colour(layer.tone)} opacity={0.2} />;
    case 'dots':
      return layer.look === 'hollow' ? (
        <Dots places={layer.places} scales={scales} fill="none" stroke={colour(layer.tone)} />
      ) : (
        <Dots
          places={layer.places}
          scales={scales}
          fill={colour(layer.tone)}
          opacity={layer.look === 'soft' ? 0.55 : 1}
        />
      );
    case 'shade':
      return layer.spans.map(({ from, to }) => (
        <rect
          key={from}
          x={scales.x(from)}
          y={scales.top}
          width={Math.max(1, scales.x(to) - scales.x(from))}
          height={scales.bottom - scales.top}
          fill={colour(layer.tone)}
          opacity={0.14}
        />
      ));
    case 'bars':
      return <Bars bars={layer.bars} scales={scales} colour={colour} />;
  }
}

/** Lines of a chart differ in their dashes, too. */
function dashes({ look, tone }: Extract<Layer, { kind: 'line' }>): string | undefined {
  if (look === 'dotted') return '2 4';
  return look === undefined && typeof tone === 'number' ? seriesDash(tone).join(' ') : undefined;
}

interface DotsProps {
  places: Place[];
  scales: Scales;
  fill: string;
  stroke?: string;
  opacity?: number;
}

/** Dots; what is off the scale stands at its edge. */
function Dots({ places, scales, fill, stroke, opacity = 1 }: DotsProps) {
  const { x, y, top, bottom } = scales;
  return places.map(([at, value], i) => (
    <circle
      key={i}
      cx={x(at)}
      cy={Math.min(Math.max(y(value), top), bottom)}
      r={stroke === undefined ? 2.5 : 3.5}
      fill={fill}
      stroke={stroke}
      strokeWidth={stroke === undefined ? undefined : 1.5}
      opacity={opacity}
    />
  ));
}

type BarsProps = Pick<OneProps, 'scales' | 'colour'> & { bars: Extract<Layer, { kind: 'bars' }>['bars'] };

function Bars({ bars, scales, colour }: BarsProps) {
  const { x, y, bottom } = scales;
  const { divider } = usePalette();
  return bars.map(({ from, to, part, tone, title }) => {
    const [left, width] = [x(from), Math.max(1, x(to) - x(from) - 1)];
    const full = bottom - y(1);
    return (
      <g key={from}>
        <title>{title}</title>
        {part === null ? (
          <circle cx={left + width / 2} cy={bottom - 2} r={1} fill={colour('quiet')} />
        ) : (
          <>
            <rect x={left} y={y(1)} width={width} height={full} fill={divider} />
            <rect
              x={left}
              y={bottom - Math.max(1, part * full)}
              width={width}
              height={Math.max(1, part * full)}
              fill={colour(tone)}
            />
          </>
        )}
      </g>
    );
  });
}

/** The path of a line, broken at its gaps. */
export const linePath = (places: (Place | null)[], { x, y }: Pick<Scales, 'x' | 'y'>): string =>
  line<Place | null>()
    .digits(1)
    .defined((place) => place !== null)
    .x((place) => x(place?.[0] ?? 0))
    .y((place) => y(place?.[1] ?? 0))(places) ?? '';

/** The outline of a band, broken at its gaps. */
export const bandPath = (
  ranges: Extract<Layer, { kind: 'band' }>['ranges'],
  { x, y }: Pick<Scales, 'x' | 'y'>,
): string =>
  area<(typeof ranges)[number]>()
    .digits(1)
    .defined((range) => range !== null)
    .x((range) => x(range?.[0] ?? 0))
    .y0((range) => y(range?.[1] ?? 0))
    .y1((range) => y(range?.[2] ?? 0))(ranges) ?? '';

/**
 * Dots for places of a line with a gap on both sides, which no line shows. Strokes without
 * length are round whatever the scale.
 */
export const lonePath = (places: (Place | null)[], { x, y }: Pick<Scales, 'x' | 'y'>): string =>
  places
    .map((place, i) => {
      const isLone = place !== null && !places[i - 1] && !places[i + 1];
      return isLone ? `M${x(place[0]).toFixed(1)} ${y(place[1]).toFixed(1)}h0` : '';
    })
    .join('');
