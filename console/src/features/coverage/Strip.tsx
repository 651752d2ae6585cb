import Box from '@mui/material/Box';
import { useMemo } from 'react';
import type { DeviceCoverage } from '../../api/schema';
import { useWidth } from '../../chart/useWidth';
import { partsOf, type State } from './parts';

const HEIGHT = 22;

const WORDS: Record<State, string> = {
  full: 'all came',
  part: 'a part came',
  lost: 'lost on the way',
  none: 'nothing came',
  'nothing-expected': 'nothing was expected',
};

/** The patterns of strips; once on a page. */
export function StripPatterns() {
  return (
    <Box
      component="svg"
      width={0}
      height={0}
      aria-hidden
      sx={{ position: 'absolute', color: 'secondary.main' }}
    >
      <defs>
        <pattern id="lost" width={5} height={5} patternUnits="userSpaceOnUse">
          <circle cx={2.5} cy={2.5} r={1.3} fill="currentColor" />
        </pattern>
        <pattern id="none" width={6} height={6} patternUnits="userSpaceOnUse">
          <path d="M0 6L6 0" stroke="currentColor" />
        </pattern>
      </defs>
    </Box>
  );
}

/** What the fills of strips mean. */
export function StripLegend() {
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2.5, color: 'secondary.main', my: 1 }}>
      {(['full', 'part', 'lost', 'none'] as const).map((state) => (
        <Box key={state} sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
          <svg width={24} height={HEIGHT} aria-hidden>
            <Cell state={state} share={0.6} x={0} width={24} />
          </svg>
          <Box component="span" sx={{ color: 'text.primary', fontSize: 13 }}>
            {WORDS[state]}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** A stretch of a strip: what came fills it from below, what was lost on the way is dotted, nothing is hatched. */
function Cell({ state, share, x, width }: { state: State; share: number; x: number; width: number }) {
  const filled = state === 'full' ? HEIGHT : state === 'none' ? 0 : Math.max(2, share * HEIGHT);
  const rest = HEIGHT - filled;
  return (
    <>
      {rest > 0 && (state === 'lost' || state === 'none') && (
        <rect x={x} width={width} height={rest} fill={`url(#${state})`} />
      )}
      {rest > 0 && state === 'part' && (
        <rect x={x} width={width} height={rest} fill="currentColor" fillOpacity={0.15} />
      )}
      <rect x={x} y={rest} width={width} height={filled} fill="currentColor" />
    </>
  );
}

/** The course of a device: a cell for each hour or day. Cells alike side by side are one shape. */
export function Strip({ device, starts }: { device: DeviceCoverage; starts: string[] }) {
  const { ref, width } = useWidth();
  const runs = useMemo(() => runsOf(device, starts), [device, starts]);
  const size = width / Math.max(1, device.expected_each.length);
  return (
    <Box ref={ref} sx={{ height: HEIGHT, color: 'secondary.main' }}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`${device.received} of ${device.expected} reports came`}
        shapeRendering="crispEdges"
        style={{ display: 'block' }}
      >
        {runs.map(({ state, from, count, share, title }) => (
          <g key={from}>
            <title>{title}</title>
            <Cell state={state} share={share} x={from * size} width={count * size} />
          </g>
        ))}
      </svg>
    </Box>
  );
}

interface Run {
  state: State;
  share: number;
  from: number;
  count: number;
  title: string;
}

/** Parts of which all came, or nothing, are one run side by side; the others are told one by one. */
function runsOf(device: DeviceCoverage, starts: string[]): Run[] {
  const found: Run[] = [];
  partsOf(device).forEach(({ state, expected, received, lost }, i) => {
    if (state === 'nothing-expected') return;
    const last = found.at(-1);
    const start = starts[i] ?? '';
    const isGathered = state === 'full' || state === 'none';
    if (last && isGathered && last.state === state && last.from + last.count === i) {
      last.count += 1;
      last.title = `${starts[last.from] ?? ''} to ${start}: ${WORDS[state]}`;
      return;
    }
    const title = `${start}: ${received} of ${expected}${lost > 0 ? `, ${lost} lost on the way` : ''}`;
    found.push({ state, share: received / expected, from: i, count: 1, title });
  });
  return found;
}
