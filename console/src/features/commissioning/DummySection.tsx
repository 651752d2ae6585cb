import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { Commissioning, DummyTest } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { asSent } from '../../format/number';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { numberOrNull, readNumber } from '../../format/entry';

interface Props {
  dummies: DummyTest[];
  path: string;
  inTrial: boolean;
}

/** Dummy values: each proves the path of a signal before its sensor is wired in. */
export function DummySection({ dummies, path, inTrial }: Props) {
  return (
    <Box component="section" sx={{ mb: 3 }}>
      <Typography variant="h2" gutterBottom>
        Dummy values
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 1.5, maxWidth: 720 }}>
        Let the sender send a number that no sensor gives, and ask for it here. When it comes, the path of the
        signal is proved.
      </Typography>
      <TableContainer component={Paper}>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Signal</TableCell>
              <TableCell>Dummy value</TableCell>
              <TableCell>State</TableCell>
              <TableCell align="right">Last value</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {dummies.map((dummy) => (
              <Row key={dummy.signal} dummy={dummy} path={path} inTrial={inTrial} />
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Box>
  );
}

function Row({ dummy, path, inTrial }: { dummy: DummyTest; path: string; inTrial: boolean }) {
  const site = useSite();
  const cache = useQueryClient();
  const [value, setValue] = useState(String(dummy.expected ?? ''));
  const ask = useMutation({
    mutationFn: () =>
      api.post<Commissioning>(`${path}/dummies`, { signal: dummy.signal, expected: numberOrNull(value) }),
    onSuccess: (judged) => cache.setQueryData(['commissioning', site.code, judged.device], judged),
  });
  const wrong = typeof readNumber(value) !== 'number';
  return (
    <TableRow>
      <TableCell sx={mono}>{dummy.signal}</TableCell>
      <TableCell>
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
          <TextField
            size="small"
            value={value}
            onChange={(e) => setValue(e.target.value)}
            disabled={!inTrial}
            slotProps={{
              htmlInput: { 'aria-label': `Dummy value of ${dummy.signal}`, inputMode: 'decimal' },
            }}
            sx={{ width: 110 }}
          />
          <Button
            size="small"
            onClick={() => ask.mutate()}
            disabled={wrong || !inTrial}
            loading={ask.isPending}
            aria-label={`Ask for the dummy value of ${dummy.signal}`}
            sx={{ displayPrint: 'none' }}
          >
            Ask
          </Button>
        </Box>
        {ask.error && <ProblemAlert error={ask.error} />}
      </TableCell>
      <TableCell>{state(dummy, site.zone)}</TableCell>
      <TableCell align="right">{dummy.last === undefined ? '—' : asSent(dummy.last)}</TableCell>
    </TableRow>
  );
}

function state(dummy: DummyTest, zone: string): string {
  if (dummy.passed_at !== undefined) return `came ${dateTime(dummy.passed_at, zone)}`;
  if (dummy.asked_at !== undefined) return `asked for ${dateTime(dummy.asked_at, zone)}, not yet here`;
  return 'not asked for';
}
