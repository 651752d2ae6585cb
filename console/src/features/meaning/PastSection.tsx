import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { jobs as jobsQuery, meaningVersions, signalPath, sitePath } from '../../api/queries';
import type { Job, MeaningVersion } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { dateTime, parseLocal } from '../../format/time';
import { mono } from '../../theme/theme';
import { inWords } from './words';
import { grouped } from '../../format/number';
import { May } from '../../components/may';

interface Props {
  device: string;
  signal: string;
  neededBy: string[];
}

/** Makes the past anew, and shows the versions there were. */
export function PastSection({ device, signal, neededBy }: Props) {
  const site = useSite();
  const client = useQueryClient();
  const { data: all = [] } = useQuery(jobsQuery(site.code));
  const { data: versions = [] } = useQuery(meaningVersions(site.code, device, signal));
  const [from, setFrom] = useState(() => dateTime(serviceNow() - 14 * 864e5, site.zone).slice(0, 10));
  const at = parseLocal(from, site.zone);
  const start = useMutation({
    mutationFn: () =>
      api.post<Job>(`${signalPath(site.code, device, signal)}/reconversions`, {
        from: new Date(at ?? 0).toISOString(),
      }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['jobs', site.code] }),
  });
  const own = all.filter((job) => job.signal === `${device}/${signal}`);
  const isBusy = own.some((job) => job.ended_at === undefined);
  return (
    <>
      <Typography sx={{ mb: 1.5 }}>
        A change holds for what comes from now on. What has been recorded can be made anew from what was sent
        {neededBy.length === 0 ? '.' : `, and with it ${neededBy.join(', ')}.`} What was sent is never
        changed.
      </Typography>
      <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap', alignItems: 'flex-start' }}>
        <TextField
          label="From"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
          error={at === undefined}
          helperText="Date, or date and time, at the site"
          sx={{ width: 230 }}
        />
        <May right="set_up">
          <Button
            variant="outlined"
            disabled={at === undefined || isBusy}
            loading={start.isPending}
            onClick={() => start.mutate()}
            sx={{ height: 40 }}
          >
            Make the past anew
          </Button>
        </May>
      </Stack>
      {start.error && <ProblemAlert error={start.error} />}
      {own.slice(0, 3).map((job) => (
        <JobLine key={job.id} job={job} zone={site.zone} path={`${sitePath(site.code)}/jobs/${job.id}`} />
      ))}
      {versions.length > 0 && <Versions versions={versions} zone={site.zone} />}
    </>
  );
}

function JobLine({ job, zone, path }: { job: Job; zone: string; path: string }) {
  const stop = useMutation({ mutationFn: () => api.delete<Job>(path) });
  const done = grouped(job.done);
  if (job.ended_at === undefined) {
    const share = job.total ? Math.min(100, (100 * job.done) / job.total) : 0;
    return (
      <Box role="status" sx={{ my: 1.5 }}>
        <Stack direction="row" spacing={2} sx={{ alignItems: 'center' }}>
          <Box sx={{ flex: 1 }}>
            <LinearProgress
              variant={job.total ? 'determinate' : 'indeterminate'}
              value={share}
              aria-label="Readings made anew"
            />
          </Box>
          <Button size="small" onClick={() => stop.mutate()}>
            Stop
          </Button>
        </Stack>
        <Typography variant="body2" color="textSecondary">
          {job.state === 'waiting'
            ? 'Waits for another to end'
            : `${done} readings, at ${job.at ?? job.signal}`}
        </Typography>
      </Box>
    );
  }
  const ends = {
    done: `${done} readings made anew`,
    failed: `left as it was: ${job.detail ?? ''}`,
    cancelled: 'stopped; left as it was',
    running: '',
    waiting: '',
  };
  return (
    <Typography sx={{ my: 1 }} color={job.state === 'failed' ? 'error' : 'textSecondary'}>
      {dateTime(job.ended_at, zone)}, from {dateTime(job.from, zone).slice(0, 16)}, asked for by {job.made_by}
      : {ends[job.state]}.
    </Typography>
  );
}

function Versions({ versions, zone }: { versions: MeaningVersion[]; zone: string }) {
  return (
    <TableContainer sx={{ mt: 2 }}>
      <Table size="small" aria-label="Versions">
        <TableHead>
          <TableRow>
            <TableCell>Version</TableCell>
            <TableCell>Made</TableCell>
            <TableCell>By</TableCell>
            <TableCell>Values are</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {versions.map((version) => (
            <TableRow key={version.version} sx={{ verticalAlign: 'top' }}>
              <TableCell>{version.version}</TableCell>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>
                {dateTime(version.made_at, zone).slice(0, 16)}
              </TableCell>
              <TableCell>{version.made_by}</TableCell>
              <TableCell>
                {version.meaning === undefined ? (
                  inWords(undefined)
                ) : (
                  <details>
                    <summary style={{ cursor: 'pointer' }}>{inWords(version.meaning)}</summary>
                    <Box component="pre" sx={{ ...mono, fontSize: 13, m: 0, whiteSpace: 'pre-wrap' }}>
                      {JSON.stringify(version.meaning, null, 1)}
                    </Box>
                  </details>
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
