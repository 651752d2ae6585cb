import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { DryRunResult } from '../../api/schema';
import { PictureView } from '../../chart/svg/PictureView';
import { asSent, grouped, worked } from '../../format/number';
import { dateTime } from '../../format/time';
import { dryRunPicture } from './dryRunPicture';
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
        <PictureView
          picture={dryRunPicture(result, zone)}
          title={symbol === '' ? 'Value' : `Value (${symbol})`}
          label={`What it would be, beside what it is now, with ${grouped(caught)} caught`}
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
