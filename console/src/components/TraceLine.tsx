import Box from '@mui/material/Box';
import type { Trace } from '../api/schema';
import type { Picture } from '../chart/picture';
import { BarePicture } from '../chart/svg/BarePicture';
import { fixed } from '../format/number';

const WIDTH = 240;
const HEIGHT = 40;

/** A trace as a line without axes; one that does not vary lies in the middle. */
export function tracePicture(means: (number | null)[]): Picture {
  const values = means.filter((mean) => mean !== null);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const pad = (high - low) * 0.08 || 1;
  return {
    across: { kind: 'number', low: 0, high: Math.max(1, means.length - 1), title: '' },
    up: [low - pad, high + pad],
    layers: [
      {
        kind: 'line',
        name: '',
        tone: 'trace',
        places: means.map((mean, i) => (mean === null ? null : ([i, mean] as const))),
      },
    ],
  };
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
  const scale =
    `${trace.signal}, last two hours: from ${fixed(Math.min(...values), decimals)} to ${fixed(Math.max(...values), decimals)} ${symbol}`.trim();
  return (
    <BarePicture picture={tracePicture(trace.means)} label={scale} width={WIDTH} height={HEIGHT} isWide />
  );
}
