import Box from '@mui/material/Box';
import { useMemo } from 'react';
import type { Span } from '../api/queries';
import { ProblemAlert } from '../components/states';
import { keyOf, type Drawn } from './drawn';
import { PaneOf } from './PaneOf';
import { panes } from './series';
import type { History } from './useHistory';
import { useSame } from './useSame';

interface Props {
  signals: Drawn[];
  history: History;
  onZoom: (span: Span) => void;
  onUnit: (own: string, other: string) => void;
}

/** Signals in panes over one time, those of one unit together. */
export function Chart({ signals, history, onZoom, onUnit }: Props) {
  const { span, sets, decimals, error, isPending } = history;
  const told = useSame(signals.map((signal) => ({ ...signal, decimals: decimals(signal) })));
  const groups = useMemo(() => panes(told), [told]);
  return (
    <Box aria-busy={isPending} sx={{ minWidth: 0 }}>
      {error && <ProblemAlert error={error} />}
      {groups.map((pane) => (
        <PaneOf
          key={pane.map(keyOf).join()}
          pane={pane}
          onUnit={onUnit}
          sets={sets}
          span={span}
          height={groups.length > 2 ? 190 : 240}
          isNamed={groups.some((group) => group.length > 1)}
          onZoom={onZoom}
        />
      ))}
    </Box>
  );
}
