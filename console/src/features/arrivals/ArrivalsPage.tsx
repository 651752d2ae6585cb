import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { api } from '../../api/client';
import { arrivals, devicePath, session, unknownContacts, waitingDevices } from '../../api/queries';
import type { Arrival, WaitingDevice } from '../../api/schema';
import { Age } from '../../components/Age';
import { ContactLines } from '../../components/ContactLines';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { ClaimDeviceDialog } from './ClaimDeviceDialog';
import { ClaimDialog } from './ClaimDialog';
import { heading } from './heading';

/** Devices and names nobody has declared, waiting with their readings. */
export function ArrivalsPage() {
  const site = useSite();
  const every = { refetchInterval: 10_000 };
  const names = useQuery({ ...arrivals(site.code), ...every });
  const devices = useQuery({ ...waitingDevices(site.code), ...every });
  const ignored = useQuery(arrivals(site.code, true));
  const error = names.error ?? devices.error;
  if (error && !(names.data && devices.data))
    return (
      <ProblemAlert error={error} onRetry={() => void Promise.all([names.refetch(), devices.refetch()])} />
    );
  if (!names.data || !devices.data) return <Loading />;
  const waiting = new Set(devices.data.map((device) => device.code));
  const own = names.data.filter((arrival) => !waiting.has(arrival.device));
  return (
    <>
      {own.length + devices.data.length === 0 ? (
        <Empty title="No arrivals">
          Everything that came in was declared. A value under a name nobody has declared is kept and waits
          here; so does a device that sends with the site&apos;s key.
        </Empty>
      ) : (
        <>
          <PageHeading gutterBottom>{heading(devices.data.length, own.length)}</PageHeading>
          <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 720 }}>
            All readings are kept. Claimed, they become history; ignored, nothing more is kept of the name.
          </Typography>
        </>
      )}
      {devices.data.length > 0 && <Devices devices={devices.data} />}
      {own.length > 0 && <Names names={own} />}
      {ignored.data && ignored.data.length > 0 && (
        <Box component="section" sx={{ mt: 4 }}>
          <Typography variant="h2" sx={{ mb: 1.5 }}>
            Ignored
          </Typography>
          <Names names={ignored.data} />
        </Box>
      )}
      <UnknownKeys />
    </>
  );
}

function Devices({ devices }: { devices: WaitingDevice[] }) {
  const site = useSite();
  const [claiming, setClaiming] = useState<WaitingDevice>();
  return (
    <>
      <TableContainer component={Paper} sx={{ mb: 3 }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Device</TableCell>
              <TableCell>Calls itself</TableCell>
              <TableCell>Carried by</TableCell>
              <TableCell>Last heard</TableCell>
              <TableCell>Sends</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {devices.map((device) => (
              <TableRow key={device.code}>
                <TableCell sx={mono}>{device.code}</TableCell>
                <TableCell>{device.identity ?? '—'}</TableCell>
                <TableCell>{device.carrier ?? '—'}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Age at={device.last_heard_at} zone={site.zone} />
                </TableCell>
                <TableCell>
                  {device.names.map((name) => `${name.name} ${lastValue(name)}`).join(', ') || '—'}
                </TableCell>
                <TableCell align="right">
                  <Button
                    size="small"
                    variant="outlined"
                    onClick={() => setClaiming(device)}
                    aria-label={`Claim the device ${device.code}`}
                  >
                    Claim
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      {claiming && <ClaimDeviceDialog device={claiming} onClose={() => setClaiming(undefined)} />}
    </>
  );
}

function lastValue(arrival: Arrival): string {
  return String(arrival.last[0]?.value ?? '—');
}

function Names({ names }: { names: Arrival[] }) {
  const site = useSite();
  const cache = useQueryClient();
  const [claiming, setClaiming] = useState<Arrival>();
  const ignore = useMutation({
    mutationFn: (arrival: Arrival) => {
      const path = `${devicePath(site.code, arrival.device)}/arrivals/${encodeURIComponent(arrival.name)}/ignored`;
      return arrival.ignored_at === undefined ? api.put<Arrival>(path) : api.delete<Arrival>(path);
    },
    onSuccess: () => cache.invalidateQueries({ queryKey: ['arrivals', site.code] }),
  });
  return (
    <>
      {ignore.error && <ProblemAlert error={ignore.error} />}
      <TableContainer component={Paper}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Device</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Looks like</TableCell>
              <TableCell align="right">Last values</TableCell>
              <TableCell>Last</TableCell>
              <TableCell>First</TableCell>
              <TableCell align="right">Readings</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {names.map((arrival) => (
              <TableRow key={`${arrival.device}/${arrival.name}`}>
                <TableCell>
                  <Link component={RouterLink} to={`/sites/${site.code}/devices/${arrival.device}`}>
                    {arrival.device}
                  </Link>
                </TableCell>
                <TableCell sx={mono}>{arrival.name}</TableCell>
                <TableCell>
                  {arrival.type}
                  {arrival.unit === undefined ? '' : `, maybe ${arrival.unit}`}
                </TableCell>
                <TableCell align="right">
                  {arrival.last
                    .slice(0, 3)
                    .map((reading) => String(reading.value))
                    .join(', ') || '—'}
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Age at={arrival.last[0]?.at} zone={site.zone} />
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(arrival.first_at, site.zone)}</TableCell>
                <TableCell align="right">{arrival.readings.toLocaleString('en-GB')}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                  <Button
                    size="small"
                    variant="outlined"
                    onClick={() => setClaiming(arrival)}
                    aria-label={`Claim ${arrival.name} of ${arrival.device}`}
                    sx={{ mr: 1 }}
                  >
                    Claim
                  </Button>
                  <Button
                    size="small"
                    onClick={() => ignore.mutate(arrival)}
                    aria-label={`${arrival.ignored_at === undefined ? 'Ignore' : 'Let wait'} ${arrival.name} of ${arrival.device}`}
                  >
                    {arrival.ignored_at === undefined ? 'Ignore' : 'Let it wait'}
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      {claiming && <ClaimDialog arrival={claiming} onClose={() => setClaiming(undefined)} />}
    </>
  );
}

/** Attempts with a key that nobody has: a typing mistake somewhere. */
function UnknownKeys() {
  const site = useSite();
  const { data: me } = useQuery(session());
  const isOwner = me?.role === 'owner';
  const { data } = useQuery({ ...unknownContacts(), enabled: isOwner, refetchInterval: 10_000 });
  if (!isOwner || !data || data.length === 0) return null;
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Attempts with unknown keys
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 1.5 }}>
        From any sender of this service. A key that was typed wrong shows up here.
      </Typography>
      <Paper sx={{ p: 2 }}>
        <ContactLines contacts={data.slice(0, 10)} zone={site.zone} />
      </Paper>
    </Box>
  );
}
