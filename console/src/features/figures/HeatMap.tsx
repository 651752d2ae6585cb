import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useScheme } from '../../chart/useScheme';
import { fixed, withUnit } from '../../format/number';
import { STEPS, type Cell, type Heat } from './heat';

/** One hue in steps, from weak to strong against the ground it stands on. */
const HUES = {
  light: ['#E3EEF0', '#BFD9DC', '#98C2C7', '#6EA8AF', '#478C95', '#276E77', '#124E57'],
  dark: ['#1F2F36', '#24454D', '#2A5D66', '#337780', '#43949C', '#62B3B9', '#93D3D6'],
} as const;
const ROW = 22;
const LEFT = 92;
const TOP = 20;
const WIDTH = 900;

interface Props {
  heat: Heat;
  title: string;
  symbol: string;
  decimals: number;
}

/** Means by day and hour of day, in steps of one hue with the scale beside it; missing hours are hatched. */
export function HeatMap({ heat, title, symbol, decimals }: Props) {
  const hues = HUES[useScheme()];
  const text = (value: number) => withUnit(fixed(value, decimals), symbol);
  const size = (WIDTH - LEFT) / 24;
  const height = TOP + heat.days.length * ROW;
  const label = `${title} by day and hour, from ${text(heat.low)} to ${text(heat.high)}`;
  return (
    <Box component="figure" sx={{ m: 0, my: 2 }}>
      <Typography component="figcaption" sx={{ fontWeight: 650, mb: 1 }}>
        {title}: mean by day and hour
      </Typography>
      <Box sx={{ overflowX: 'auto' }} tabIndex={0} role="group" aria-label={label}>
        <svg width={WIDTH} height={height} role="img" aria-label={label}>
          <defs>
            <pattern id="missing" width={6} height={6} patternUnits="userSpaceOnUse">
              <path d="M0 6L6 0" stroke="currentColor" strokeOpacity={0.25} />
            </pattern>
          </defs>
          {Array.from({ length: 8 }, (_, i) => (
            <text key={i} x={LEFT + 3 * i * size} y={14} fontSize={13} fill="currentColor">
              {`${String(3 * i).padStart(2, '0')}:00`}
            </text>
          ))}
          {heat.days.map(({ date, cells }, row) => (
            <g key={date} transform={`translate(0 ${TOP + row * ROW})`}>
              <text x={0} y={15} fontSize={13} fill="currentColor">
                {date}
              </text>
              <rect x={LEFT} width={24 * size} height={ROW - 2} fill="url(#missing)" />
              {cells.map((cell) => (
                <HourCell
                  key={cell.hour}
                  cell={cell}
                  date={date}
                  size={size}
                  hue={hues[cell.step] ?? hues[0]}
                  text={text}
                />
              ))}
            </g>
          ))}
        </svg>
      </Box>
      <Scale heat={heat} hues={hues} text={text} />
    </Box>
  );
}

interface CellProps {
  cell: Cell;
  date: string;
  size: number;
  hue: string;
  text: (value: number) => string;
}

function HourCell({ cell: { hour, value, count }, date, size, hue, text }: CellProps) {
  return (
    <rect x={LEFT + hour * size} width={size - 1} height={ROW - 2} fill={hue}>
      <title>{`${date} ${String(hour).padStart(2, '0')}:00: ${text(value)}, ${count} readings`}</title>
    </rect>
  );
}

/** Which step stands for which values. */
function Scale({
  heat,
  hues,
  text,
}: {
  heat: Heat;
  hues: readonly string[];
  text: (value: number) => string;
}) {
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, mt: 1 }}>
      <Typography variant="body2">{text(heat.low)}</Typography>
      {Array.from({ length: STEPS }, (_, step) => (
        <Box key={step} sx={{ width: 28, height: 14, bgcolor: hues[step] }} />
      ))}
      <Typography variant="body2">{text(heat.high)}</Typography>
    </Box>
  );
}
