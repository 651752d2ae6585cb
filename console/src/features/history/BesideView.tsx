import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useMemo } from 'react';
import type { Span } from '../../api/pastQueries';
import type { Arrangement } from '../../chart/arrange';
import { Chart } from '../../chart/Chart';
import { fullName, keyOf, type Drawn } from '../../chart/drawn';
import { differences, type Told } from '../../chart/means';
import type { History } from '../../chart/useHistory';
import { LocalTime } from '../../components/LocalTime';
import { useSite } from '../../components/siteContext';
import { fixed, signed, withUnit } from '../../format/number';
import { dateTime } from '../../format/time';
import { useBackdrop } from './useBackdrop';

interface Props {
  signals: Drawn[];
  /** The time beside the other one. */
  history: History;
  panes: Arrangement;
  zone: string;
  hasNights: boolean;
  /** What the other time shows: both have the same axes. */
  alongside: History['sets'];
  onBegin: (from: number) => void;
  onZoom: (span: Span) => void;
  onUnit: (own: string, other: string) => void;
  onPick: (key: string, at: number) => void;
  onClose: () => void;
}

/** How high the line above the charts is, in pixels: theirs begin beside each other. */
export const BESIDE_HEAD = 56;

const NO_DOUBTS = { of: new Map(), isCut: false };
const NO_GREYS = new Map<string, Span[]>();

/** A second time of the same length, with the axes of the first. */
export function BesideView({ signals, history, zone, hasNights, onBegin, onClose, ...shared }: Props) {
  const site = useSite();
  const { span } = history;
  const length = span.to - span.from;
  const backdrop = useBackdrop(span, zone, hasNights ? site.position : undefined, NO_MARKS);
  return (
    <Box component="section" aria-label="The time beside" sx={{ minWidth: 0 }}>
      <Stack direction="row" spacing={0.5} sx={{ alignItems: 'center', height: BESIDE_HEAD }}>
        <LocalTime label="Beside, from" at={span.from} zone={zone} onChange={onBegin} />
        <Button size="small" onClick={() => onBegin(span.from - length)}>
          Before it
        </Button>
        <Button size="small" onClick={() => onBegin(span.from + length)}>
          After it
        </Button>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </Stack>
      <Chart
        signals={signals}
        history={history}
        earlier={undefined}
        zone={zone}
        backdrop={backdrop}
        doubts={NO_DOUBTS}
        greys={NO_GREYS}
        below={() => null}
        {...shared}
      />
    </Box>
  );
}

const NO_MARKS: [] = [];

interface TableProps {
  signals: Drawn[];
  first: History;
  second: History;
  zone: string;
}

/** What the signals come to in both times, and how far apart the means lie. */
export function DifferenceTable({ signals, first, second, zone }: TableProps) {
  const rows = useMemo(
    () => differences(signals, first.sets, second.sets),
    [signals, first.sets, second.sets],
  );
  const value = (told: Told | undefined, { decimals, symbol }: Drawn) =>
    told === undefined
      ? 'no readings'
      : `${withUnit(fixed(told.mean, decimals), symbol)} (${fixed(told.min, decimals)} to ${fixed(told.max, decimals)})`;
  return (
    <>
      <TableContainer tabIndex={0} role="region" aria-label="Both times in numbers">
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Mean, from least to most</TableCell>
              <TableCell align="right">from {dateTime(first.span.from, zone)}</TableCell>
              <TableCell align="right">from {dateTime(second.span.from, zone)}</TableCell>
              <TableCell align="right">Second less first</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map(({ signal, left, right, change }) => (
              <TableRow key={keyOf(signal)}>
                <TableCell>{fullName(signal)}</TableCell>
                <TableCell align="right">{value(left, signal)}</TableCell>
                <TableCell align="right">{value(right, signal)}</TableCell>
                <TableCell align="right">
                  {change === undefined ? '—' : withUnit(signed(change, signal.decimals), signal.symbol)}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1, mb: 2 }}>
        Means of good readings, each counted once.
      </Typography>
    </>
  );
}
