import Box from '@mui/material/Box';
import { scaleLinear } from 'd3-scale';
import { axisNumbers } from '../axisNumbers';
import { apart, type Across, type Layer, type Picture } from '../picture';
import { usePalette } from '../useScheme';
import { useWidth } from '../useWidth';
import { timeTicks } from '../timeTicks';
import { Layers, useColour, type Scales } from './Layers';

const LEFT = 64;
const TOP = 10;
const FONT_SIZE = 13;
/** Room at the right for the names of lines, unless more is asked for. */
const NAMES = 56;

interface Props {
  picture: Picture;
  title: string;
  /** What it shows, in words. */
  label: string;
  height?: number;
  /** Room at the right for the names of lines. */
  room?: number;
}

/** A picture with its axes, as wide as there is room. */
export function PictureView({ picture, title, label, height = 220, room = NAMES }: Props) {
  const { ref, width } = useWidth();
  return (
    <Box component="figure" sx={{ m: 0, my: 1 }}>
      <Box component="figcaption" sx={{ fontWeight: 650 }}>
        {title}
      </Box>
      <Box ref={ref} sx={{ minHeight: height }}>
        {width > 0 && <Drawing picture={picture} label={label} width={width} height={height} room={room} />}
      </Box>
    </Box>
  );
}

interface DrawingProps {
  picture: Picture;
  label: string;
  width: number;
  height: number;
  /** Room at the right for the names of lines. */
  room?: number;
}

/** The drawing itself, of a given size: also what is saved or printed. */
export function Drawing({ picture, label, width, height, room = NAMES }: DrawingProps) {
  const names = picture.layers.filter((layer) => layer.kind === 'line' && layer.name !== '');
  const right = (names.length > 1 ? room : 12) + (picture.right ? LEFT : 0);
  const bottom = height - (picture.across.kind === 'time' ? 28 : 48);
  const { across, up } = picture;
  const [from, to] = across.kind === 'time' ? [across.span.from, across.span.to] : [across.low, across.high];
  const x = scaleLinear([from, to], [LEFT, width - right]);
  const y = scaleLinear(up, [bottom, TOP]);
  const scales: Scales = { x, y, top: TOP, bottom };
  const other = picture.right && scaleLinear(picture.right, [bottom, TOP]);
  const of = (isRight: boolean) => picture.layers.filter(({ side }) => (side === 'right') === isRight);
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      <Up ticks={y.ticks(5)} y={y} right={width - right} />
      <AcrossAxis across={across} ticks={x.ticks(5)} x={x} ends={[TOP, bottom]} width={width - right} />
      <Layers layers={of(false)} scales={scales} />
      {other && <Layers layers={of(true)} scales={{ ...scales, y: other }} />}
      {other && <Right ticks={other.ticks(5)} y={other} left={width - right} />}
      {names.length > 1 && (
        <Names
          picture={picture}
          y={(side) => (side === 'right' && other ? other : y)}
          left={width - room + 6}
        />
      )}
    </svg>
  );
}

function useText() {
  const colours = usePalette();
  return { text: { fill: colours.text.secondary, fontSize: FONT_SIZE }, grid: colours.divider };
}

function Up({ ticks, y, right }: { ticks: number[]; y: (value: number) => number; right: number }) {
  const { text, grid } = useText();
  const written = axisNumbers(ticks);
  return ticks.map((value, i) => (
    <g key={value}>
      <line x1={LEFT} x2={right} y1={y(value)} y2={y(value)} stroke={grid} />
      <text x={LEFT - 8} y={y(value) + 4} textAnchor="end" {...text}>
        {written[i]}
      </text>
    </g>
  ));
}

/** The numbers of the axis at the right. */
function Right({ ticks, y, left }: { ticks: number[]; y: (value: number) => number; left: number }) {
  const { text } = useText();
  const written = axisNumbers(ticks);
  return ticks.map((value, i) => (
    <text key={value} x={left + 8} y={y(value) + 4} {...text}>
      {written[i]}
    </text>
  ));
}

interface AcrossProps {
  across: Across;
  ticks: number[];
  x: (at: number) => number;
  ends: [top: number, bottom: number];
  width: number;
}

function AcrossAxis({ across, ticks, x, ends: [top, bottom], width }: AcrossProps) {
  const { text, grid } = useText();
  const marks =
    across.kind === 'time'
      ? timeTicks(across.span, across.zone, Math.max(2, Math.floor((width - LEFT) / 80)))
      : axisNumbers(ticks).map((text, i) => ({ at: ticks[i] ?? 0, text }));
  return (
    <>
      {marks.map(({ at, text: mark }) => (
        <g key={at}>
          <line x1={x(at)} x2={x(at)} y1={top} y2={bottom} stroke={grid} />
          <text x={x(at)} y={bottom + 18} textAnchor="middle" {...text}>
            {mark}
          </text>
        </g>
      ))}
      {across.kind === 'number' && (
        <text x={(LEFT + width) / 2} y={bottom + 42} textAnchor="middle" {...text}>
          {across.title}
        </text>
      )}
    </>
  );
}

/** Each line's name at its right end. */
function Names({
  picture,
  y,
  left,
}: {
  picture: Picture;
  y: (side: Layer['side']) => (value: number) => number;
  left: number;
}) {
  const colour = useColour();
  const labels = picture.layers.flatMap((layer) => {
    if (layer.kind !== 'line') return [];
    const last = layer.places.findLast((place) => place !== null);
    return last && layer.name !== ''
      ? [{ name: layer.name, tone: layer.tone, y: y(layer.side)(last[1]) }]
      : [];
  });
  return apart(labels, FONT_SIZE + 2).map((label) => (
    <text key={label.name} x={left} y={label.y + 4} fontSize={FONT_SIZE} fill={colour(label.tone)}>
      {label.name}
    </text>
  ));
}
