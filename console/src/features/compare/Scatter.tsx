import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import type { Compared, Comparison } from '../../api/schema';
import { decimalsOf, range, ticks, useScheme, useWidth } from '../../components/Plot';
import { fixed } from '../../format/number';
import { seriesColour } from '../../theme/series';

const LEFT = 64;
const BOTTOM = 48;
const HEIGHT = 360;

/** Each pair as a point: the other against the reference, with the line where they agree. */
export function Scatter({ found, other }: { found: Comparison; other: Compared }) {
  const { ref, width } = useWidth();
  const scheme = useScheme();
  const colours = useTheme().vars?.palette;
  const unit = found.symbol === undefined ? '' : ` (${found.symbol})`;
  // One scale for both, so that agreement is the diagonal.
  const [low, high] = range(other.sample.flatMap((pair) => [pair.reference, pair.other]));
  const x = (value: number) => LEFT + ((value - low) / (high - low)) * (width - LEFT - 12);
  const y = (value: number) => 8 + (1 - (value - low) / (high - low)) * (HEIGHT - BOTTOM - 8);
  const marks = ticks(low, high, 5);
  const decimals = decimalsOf(low, high);
  const text = { fill: colours?.text.secondary ?? 'currentColor', fontSize: 13 };
  const line = other.figures?.line;
  // reference = slope × other + intercept, drawn over what the other said.
  const said = other.sample.map((pair) => pair.other);
  const ends = [Math.min(...said), Math.max(...said)];
  return (
    <Box component="figure" sx={{ m: 0, my: 1 }}>
      <Box component="figcaption" sx={{ fontWeight: 650 }}>
        {other.signal} against {found.reference}
      </Box>
      <Box ref={ref} sx={{ minHeight: HEIGHT }}>
        {width > 0 && (
          <svg width={width} height={HEIGHT} role="img" aria-label={`${other.sample.length} pairs as points`}>
            {marks.map((value) => (
              <g key={value}>
                <line x1={LEFT} x2={width - 12} y1={y(value)} y2={y(value)} stroke={colours?.divider} />
                <line x1={x(value)} x2={x(value)} y1={8} y2={HEIGHT - BOTTOM} stroke={colours?.divider} />
                <text x={LEFT - 8} y={y(value) + 4} textAnchor="end" {...text}>
                  {fixed(value, decimals)}
                </text>
                <text x={x(value)} y={HEIGHT - BOTTOM + 18} textAnchor="middle" {...text}>
                  {fixed(value, decimals)}
                </text>
              </g>
            ))}
            <text x={(LEFT + width) / 2} y={HEIGHT - 6} textAnchor="middle" {...text}>
              {found.reference}
              {unit}
            </text>
            <line
              x1={x(low)}
              y1={y(low)}
              x2={x(high)}
              y2={y(high)}
              stroke={colours?.text.secondary}
              strokeDasharray="2 4"
            />
            {other.sample.map((pair) => (
              <circle
                key={pair.at_ms}
                cx={x(pair.reference)}
                cy={y(pair.other)}
                r={2.5}
                fill={seriesColour(0, scheme)}
                opacity={0.55}
              />
            ))}
            {line && (
              <line
                x1={x(line.slope * (ends[0] ?? 0) + line.intercept)}
                y1={y(ends[0] ?? 0)}
                x2={x(line.slope * (ends[1] ?? 0) + line.intercept)}
                y2={y(ends[1] ?? 0)}
                stroke={seriesColour(1, scheme)}
                strokeWidth={2}
              />
            )}
          </svg>
        )}
      </Box>
      <Typography variant="body2" color="textSecondary">
        Dotted: where both say the same{line ? '. Line: what fits them best' : ''}.
      </Typography>
    </Box>
  );
}
