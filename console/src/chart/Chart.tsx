import Box from '@mui/material/Box';
import { useMemo, type ReactNode } from 'react';
import type { Span } from '../api/pastQueries';
import { ProblemAlert } from '../components/states';
import { arrange, type Arrangement } from './arrange';
import { keyOf, type Drawn } from './drawn';
import { linesOf } from './lines';
import type { Pieces } from './liveSummary';
import type { Backdrop } from './paneDraw';
import { PaneOf } from './PaneOf';
import type { EarlierHistory } from './useEarlier';
import type { Doubts } from './useDoubts';
import type { History } from './useHistory';
import { useSame } from './useSame';

interface Props {
  signals: Drawn[];
  history: History;
  earlier: EarlierHistory | undefined;
  panes: Arrangement;
  zone: string;
  /** What stands behind all panes. */
  backdrop: Omit<Backdrop, 'doubts' | 'greys'>;
  doubts: Doubts;
  /** When readings were not to be trusted, by `device/signal`. */
  greys: Map<string, Span[]>;
  /** What a chart beside this one shows: both have the same axes. */
  alongside?: Map<string, Pieces | undefined> | undefined;
  onZoom: (span: Span) => void;
  onPick: (key: string, at: number) => void;
  onUnit: (own: string, other: string) => void;
  /** What stands below the panes, and has to know how much room they leave at their sides. */
  below: (sides: { isNamed: boolean; hasRight: boolean }) => ReactNode;
}

/** Signals in panes over one time. */
export function Chart({
  signals,
  history,
  earlier,
  panes,
  doubts,
  zone,
  alongside,
  below,
  ...shared
}: Props) {
  const { span, moving, sets, decimals, error, isPending } = history;
  const told = useSame(signals.map((signal) => ({ ...signal, decimals: decimals(signal) })));
  // Only panes by range look at values; the others stay as they are while values come.
  const known = panes === 'range' ? sets : NONE;
  const groups = useMemo(
    () => arrange(told, panes, known).map((pane) => ({ ...pane, lines: linesOf(pane, earlier?.words) })),
    [told, panes, known, earlier?.words],
  );
  const isNamed = groups.some(({ left, right }) => left.length + right.length > 1);
  const hasRight = groups.some(({ right }) => right.length > 0);
  const height = panes === 'each' && groups.length > 3 ? 130 : groups.length > 2 ? 190 : 240;
  const failed = error ?? earlier?.error;
  return (
    <Box aria-busy={isPending} sx={{ minWidth: 0 }}>
      {failed !== undefined && failed !== null && <ProblemAlert error={failed} />}
      {groups.map(({ left, right, lines }) => (
        <PaneOf
          key={[...left, ...right].map(keyOf).join()}
          lines={lines}
          sets={sets}
          earlier={earlier}
          doubts={doubts}
          span={span}
          moving={moving}
          zone={zone}
          alongside={alongside}
          height={height}
          isNamed={isNamed}
          hasRight={hasRight}
          {...shared}
        />
      ))}
      {below({ isNamed, hasRight })}
    </Box>
  );
}

const NONE = new Map<string, undefined>();
