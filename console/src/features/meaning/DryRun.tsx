import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { DryRunResult, Reading } from '../../api/schema';
import { Plot, type Mark } from '../../components/Plot';
import { asSent, grouped, worked } from '../../format/number';
import { dateTime } from '../../format/time';
import { caughtInWords, causeInWords } from './words';

interface Props {
  result: DryRunResult;
  zone: string;
  symbol: string;
}

/** What a meaning would make of the past: in a sentence, drawn, and one by one. */
export function DryRun({ result, zone, symbol }: Props) {
  const caught = result.readings - result.good;
  return (
    <Box role="status">
      <Typography>
        {result.readings === 0
          ? 'There are no readings in that time.'
          : `Of ${grouped(result.readings)} readings ${grouped(result.good)} would be good (now ${grouped(result.good_now)}), and ${grouped(result.changed)} would have another value.`}
      </Typography>
      {result.caught.map((one) => (
        <Typography key={`${one.quality} ${one.cause}`} sx={{ color: 'warning.main' }}>
          {caughtInWords(one)}
        </Typography>
      ))}
      {result.readings > 0 && (
        <Plot
          label={`What it would be, beside what it is now, with ${grouped(caught)} caught`}
          zone={zone}
          span={{ from: Date.parse(result.from), to: Date.parse(result.to) }}
          title={symbol === '' ? 'Value' : `Value (${symbol})`}
          lines={[
            { name: 'now', points: points(result.curve_now) },
            { name: 'then', points: points(result.curve) },
          ]}
          marks={marks(result.examples)}
        />
      )}
      {result.examples.length > 0 && (
        <TableContainer sx={{ maxHeight: 300 }}>
          <Table size="small" stickyHeader>
            <TableHead>
              <TableRow>
                <TableCell>Time</TableCell>
                <TableCell align="right">Value</TableCell>
                <TableCell>Would be</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {result.examples.slice(0, 50).map((reading) => (
                <TableRow key={reading.at}>
                  <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(reading.at, zone)}</TableCell>
                  <TableCell align="right">
                    {typeof reading.value === 'number' ? worked(reading.value) : asSent(reading.value)}
                  </TableCell>
                  <TableCell>
                    {reading.quality}: {causeInWords(reading.cause)}
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
    </Box>
  );
}

const points = (readings: Reading[]): [number, number][] =>
  readings.flatMap(({ at, value }) => (typeof value === 'number' ? [[Date.parse(at), value]] : []));

function marks(examples: Reading[]): Mark[] {
  return examples.flatMap(({ at, value, quality }) =>
    typeof value === 'number' ? [{ at: Date.parse(at), value, isHollow: quality === 'suspect' }] : [],
  );
}
