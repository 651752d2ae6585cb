import Box from '@mui/material/Box';
import type { Trace } from '../api/schema';
import { fixed } from '../format/number';

const WIDTH = 240;
const HEIGHT = 40;

/** Runs of neighbouring points, broken where there is no value. */
function runs(means: (number | null)[], y: (value: number) => number): string[] {
  const paths: string[] = [];
  let path = '';
  means.forEach((mean, i) => {
    if (mean === null) {
      if (path) paths.push(path);
      path = '';
      return;
    }
    const x = (i / Math.max(1, means.length - 1)) * WIDTH;
    path += `${path ? 'L' : 'M'}${x.toFixed(1)} ${y(mean).toFixed(1)}`;
  });
  if (path) paths.push(path);
  return paths;
}

/** The last two hours of a signal as a small line; its scale is said on hover. */
export function TraceLine({
  trace,
  symbol,
  decimals,
}: {
  trace: Trace | undefined;
  symbol: string;
  decimals: number;
}) {
  const values = trace?.means.filter((mean) => mean !== null) ?? [];
  if (trace === undefined || values.length === 0) {
    return (
      <Box
        sx={{ height: HEIGHT, display: 'flex', alignItems: 'center', color: 'text.secondary', fontSize: 13 }}
      >
        nothing in the last two hours
      </Box>
    );
  }
  const [min, max] = [Math.min(...values), Math.max(...values)];
  const y = (value: number) =>
    max === min ? HEIGHT / 2 : HEIGHT - 3 - ((value - min) / (max - min)) * (HEIGHT - 6);
  const scale =
    `${trace.signal}, last two hours: from ${fixed(min, decimals)} to ${fixed(max, decimals)} ${symbol}`.trim();
  return (
    <Box
      component="svg"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      role="img"
      aria-label={scale}
      sx={{ width: '100%', height: HEIGHT, display: 'block', color: 'secondary.main' }}
    >
      <title>{scale}</title>
      {runs(trace.means, y).map((path) => (
        <path
          key={path}
          d={path}
          fill="none"
          stroke="currentColor"
          strokeWidth={1.5}
          strokeLinecap="round"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </Box>
  );
}
