import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useCallback, useState } from 'react';
import { useSearchParams } from 'react-router';
import { readings, type Asked, type Span } from '../../api/pastQueries';
import { useLiveReadings } from '../../api/LiveProvider';
import type { DeviceNow, LiveReading } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { shown, withUnit } from '../../format/number';
import { inChosenUnit, type ChosenUnits } from '../../format/otherUnits';
import { dateTime, fineTime } from '../../format/time';
import { useAskAgain } from '../../chart/useAskAgain';
import { causeInWords } from '../meaning/words';

/** The readings of one signal in the time shown, newest first. */
export function ReadingsTable({
  device,
  span,
  asked,
  chosen,
}: {
  device: DeviceNow;
  span: Span;
  /** The time shown as it is asked for: one up to now is not asked for anew each second. */
  asked: Asked;
  chosen: ChosenUnits;
}) {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const [pages, setPages] = useState<string[]>([]);
  const [all, setAll] = useState(false);
  const found = device.signals.find((s) => s.signal === params.get('signal')) ?? device.signals[0];
  const signal = found && inChosenUnit(found, chosen);
  const after = pages.at(-1);
  const { data, error } = useQuery({
    ...readings(site.code, device.device, signal?.signal ?? '', asked, { after, unit: signal?.asked, all }),
    enabled: signal !== undefined,
    gcTime: 10_000,
  });
  const askAgain = useAskAgain('readings', site.code);
  const shownCode = signal?.signal;
  const isNewest = 'last' in asked && after === undefined;
  const onReadings = useCallback(
    (came: LiveReading[]) => {
      const isOurs = came.some((one) => one.device === device.device && one.signal === shownCode);
      if (isNewest && isOurs && shownCode !== undefined) askAgain(new Set([`${device.device}/${shownCode}`]));
    },
    [device.device, shownCode, isNewest, askAgain],
  );
  useLiveReadings(onReadings);
  if (!signal) return null;
  const choose = (code: string) => {
    setPages([]);
    setParams(
      (old) => new URLSearchParams([...[...old].filter(([name]) => name !== 'signal'), ['signal', code]]),
      { replace: true, preventScrollReset: true },
    );
  };
  const next = data?.next;
  // Samples of a waveform all have the same second.
  const time = data?.items.some((reading) => Date.parse(reading.at) % 1000 !== 0) ? fineTime : dateTime;
  const column = `${device.device}/${signal.signal}${signal.asked === undefined ? '' : `:${signal.asked}`}`;
  const exportUrl = `/api/v1/sites/${site.code}/export?format=csv&signals=${encodeURIComponent(column)}&from=${span.from / 1000}&to=${span.to / 1000}`;
  return (
    <Box sx={{ minWidth: 0 }}>
      <TextField
        select
        fullWidth
        label="Readings of"
        value={signal.signal}
        onChange={(event) => choose(event.target.value)}
        sx={{ mb: 1 }}
      >
        {device.signals.map((s) => (
          <MenuItem key={s.signal} value={s.signal}>
            {s.name}
          </MenuItem>
        ))}
      </TextField>
      <FormControlLabel
        control={
          <Checkbox
            size="small"
            checked={all}
            onChange={(_, next) => {
              setPages([]);
              setAll(next);
            }}
          />
        }
        label="Also what is suspect or rejected"
      />
      {error && <ProblemAlert error={error} />}
      <TableContainer
        sx={{ height: 400, border: 1, borderColor: 'divider', borderRadius: 1, bgcolor: 'background.paper' }}
        tabIndex={0}
        role="region"
        aria-label={`Readings of ${signal.name}`}
      >
        <Table size="small" stickyHeader>
          <TableHead>
            <TableRow>
              <TableCell>Time</TableCell>
              <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                {withUnit('Value', signal.symbol === '' ? '' : `(${signal.symbol})`)}
              </TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {data?.items.map((reading) => (
              <TableRow key={reading.at}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{time(reading.at, site.zone)}</TableCell>
                <TableCell align="right">
                  {shown(reading.value, signal.decimals)}
                  {reading.trial && (
                    <Typography component="div" variant="body2" color="textSecondary">
                      in trial
                    </Typography>
                  )}
                  {reading.quality && (
                    <Typography component="div" variant="body2" sx={{ color: 'warning.main' }}>
                      {reading.quality}: {causeInWords(reading.cause)}
                    </Typography>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {data?.items.length === 0 && (
          <Typography color="textSecondary" sx={{ p: 2 }}>
            No readings in this time.
          </Typography>
        )}
      </TableContainer>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', mt: 1 }}>
        <Button size="small" disabled={pages.length === 0} onClick={() => setPages(pages.slice(0, -1))}>
          Newer
        </Button>
        <Button size="small" href={exportUrl}>
          Save as CSV
        </Button>
        <Button size="small" disabled={next === undefined} onClick={() => next && setPages([...pages, next])}>
          Older
        </Button>
      </Box>
    </Box>
  );
}
