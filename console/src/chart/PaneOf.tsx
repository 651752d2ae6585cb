import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMemo } from 'react';
import type { Span } from '../api/pastQueries';
import { unitChoices } from '../format/otherUnits';
import { keyOf, type Drawn } from './drawn';
import { behindOf, ownOf, rangesOf, setsOf, storyOf, type Line } from './lines';
import type { Pieces } from './liveSummary';
import { Pane } from './Pane';
import type { Backdrop } from './paneDraw';
import { axisTitle, columns } from './series';
import type { Doubts } from './useDoubts';
import type { EarlierHistory } from './useEarlier';

interface PaneOfProps {
  lines: Line[];
  sets: Map<string, Pieces | undefined>;
  earlier: EarlierHistory | undefined;
  backdrop: Omit<Backdrop, 'doubts' | 'greys'>;
  doubts: Doubts;
  /** When readings were not to be trusted, by `device/signal`. */
  greys: Map<string, Span[]>;
  /** What a chart beside this one shows: both have the same axes. */
  alongside: Map<string, Pieces | undefined> | undefined;
  span: Span;
  moving: number | undefined;
  zone: string;
  height: number;
  isNamed: boolean;
  hasRight: boolean;
  onZoom: (span: Span) => void;
  onPick: (key: string, at: number) => void;
  onUnit: (own: string, other: string) => void;
}

/** One pane of a chart with what it says in words, and the choice of its units. */
export function PaneOf({
  lines,
  sets,
  earlier,
  backdrop,
  doubts,
  greys,
  alongside,
  onUnit,
  ...frame
}: PaneOfProps) {
  const { span, zone } = frame;
  const own = useMemo(() => setsOf(lines, sets, earlier?.sets), [lines, sets, earlier?.sets]);
  const data = useMemo(
    () =>
      columns(
        own,
        lines.map(({ signal }) => signal.interval_s),
      ),
    [own, lines],
  );
  const behind = useMemo(
    () => ({ ...backdrop, ...behindOf(lines, doubts, greys) }),
    [backdrop, doubts, greys, lines],
  );
  const ranges = useMemo(() => alongside && rangesOf(lines, [sets, alongside]), [lines, sets, alongside]);
  const now = ownOf(lines);
  const told = storyOf(lines, own, zone, span.to);
  const sides = (['left', 'right'] as const).map((side) =>
    now.filter((line) => line.side === side).map(({ signal }) => signal),
  );
  return (
    <>
      <Pane lines={lines} columns={data} backdrop={behind} ranges={ranges} summary={told} {...frame} />
      <Stack
        direction="row"
        spacing={2}
        sx={{ mb: 2, alignItems: 'baseline', justifyContent: 'space-between' }}
      >
        <Typography data-story>{told}</Typography>
        <Stack direction="row" spacing={2}>
          {sides.map((pane) => (
            <UnitChoice key={pane.map(keyOf).join()} pane={pane} onUnit={onUnit} />
          ))}
        </Stack>
      </Stack>
    </>
  );
}

/** In which unit a pane is looked at, where there are several for what it shows. */
function UnitChoice({ pane, onUnit }: { pane: Drawn[] } & Pick<PaneOfProps, 'onUnit'>) {
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
