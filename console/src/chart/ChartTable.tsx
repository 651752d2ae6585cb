import Button from '@mui/material/Button';
import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useMemo, useState } from 'react';
import type { Span } from '../api/pastQueries';
import { fixed, grouped } from '../format/number';
import { dateTime, fineTime } from '../format/time';
import { fullName, keyOf, type Drawn } from './drawn';
import type { Piece, Pieces } from './liveSummary';
import { tableRows } from './tableRows';

/** Rows shown at first, and so many more each time. */
const STEP = 50;

interface Props {
  signals: Drawn[];
  sets: Map<string, Pieces | undefined>;
  span: Span;
  zone: string;
}

/** All that a chart draws, as numbers: a row for each time, a column for each signal. The newest first. */
export function ChartTable({ signals, sets, span, zone }: Props) {
  const [most, setMost] = useState(STEP);
  const { rows, isSingle } = useMemo(
    () =>
      tableRows(
        signals.map((signal) => sets.get(keyOf(signal))),
        span,
      ),
    [signals, sets, span],
  );
  const time = (at: number) => (isSingle ? fineTime(new Date(at).toISOString(), zone) : dateTime(at, zone));
  if (rows.length === 0) return <Typography color="text.secondary">No readings in this time.</Typography>;
  return (
    <Box>
      <TableContainer sx={{ maxHeight: 480 }} tabIndex={0} role="region" aria-label="The chart as a table">
        <Table size="small" stickyHeader>
          <TableHead>
            <TableRow>
              <TableCell>{isSingle ? 'Time' : 'From'}</TableCell>
              {signals.map((signal) => (
                <TableCell key={keyOf(signal)} align="right">
                  {fullName(signal)}
                  {signal.symbol !== '' && ` (${signal.symbol})`}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.slice(0, most).map(({ at, pieces }) => (
              <TableRow key={at}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{time(at)}</TableCell>
                {signals.map((signal, i) => (
                  <TableCell key={keyOf(signal)} align="right" sx={{ whiteSpace: 'nowrap' }}>
                    {cell(signal, pieces[i])}
                  </TableCell>
                ))}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
        {Math.min(most, rows.length)} of {grouped(rows.length)} rows
        {isSingle ? ', each a reading as it came.' : ': the mean of each stretch, and from least to most.'}
      </Typography>
      {most < rows.length && <Button onClick={() => setMost((old) => old + 4 * STEP)}>More rows</Button>}
    </Box>
  );
}

function cell({ type, decimals }: Drawn, piece: Piece | undefined): string {
  if (piece === undefined) return '';
  const { mean, min, max } = piece;
  if (type === 'flag') return min === max ? (mean >= 0.5 ? 'yes' : 'no') : `yes in ${fixed(mean * 100, 0)} %`;
  const text = fixed(mean, decimals);
  return min === max ? text : `${text} (${fixed(min, decimals)} to ${fixed(max, decimals)})`;
}
