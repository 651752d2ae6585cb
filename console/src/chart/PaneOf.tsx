import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMemo } from 'react';
import type { Span } from '../api/queries';
import { useSite } from '../components/siteContext';
import { unitChoices } from '../format/otherUnits';
import { keyOf, type Drawn } from './drawn';
import type { Pieces } from './liveSummary';
import { Pane } from './Pane';
import { axisTitle, columns, story } from './series';

interface PaneOfProps {
  pane: Drawn[];
  onUnit: (own: string, other: string) => void;
  sets: Map<string, Pieces | undefined>;
  span: Span;
  height: number;
  isNamed: boolean;
  onZoom: (span: Span) => void;
}

/** One pane of a chart with what it says in words, and the choice of its unit. */
export function PaneOf({ pane, onUnit, sets, span, height, isNamed, onZoom }: PaneOfProps) {
  const { zone } = useSite();
  const own = useMemo(() => pane.map((signal) => sets.get(keyOf(signal))), [pane, sets]);
  const data = useMemo(
    () =>
      columns(
        own,
        pane.map((signal) => signal.interval_s),
      ),
    [own, pane],
  );
  const told = pane.map((signal, i) => story(signal, own[i], zone, span.to)).join(' ');
  return (
    <>
      <Pane
        pane={pane}
        columns={data}
        span={span}
        zone={zone}
        height={height}
        isNamed={isNamed}
        onZoom={onZoom}
        summary={told}
      />
      <Stack
        direction="row"
        spacing={2}
        sx={{ mb: 2, alignItems: 'baseline', justifyContent: 'space-between' }}
      >
        <Typography data-story>{told}</Typography>
        <UnitChoice pane={pane} onUnit={onUnit} />
      </Stack>
    </>
  );
}

/** In which unit a pane is looked at, where there are several for what it shows. */
function UnitChoice({ pane, onUnit }: Pick<PaneOfProps, 'pane' | 'onUnit'>) {
  const { own, unit } = pane[0] ?? {};
  const choices = unitChoices(own);
  if (own === undefined || choices.length === 0) return null;
  return (
    <TextField
      select
      size="small"
      variant="standard"
      value={unit}
      onChange={(event) => onUnit(own, event.target.value)}
      slotProps={{ select: { native: true }, htmlInput: { 'aria-label': `Unit of ${axisTitle(pane)}` } }}
      sx={{ minWidth: 72, flexShrink: 0 }}
    >
      {choices.map(({ code, symbol }) => (
        <option key={code} value={code}>
          {symbol}
        </option>
      ))}
    </TextField>
  );
}
