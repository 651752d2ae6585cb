import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
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
import { claimAll } from './claims';
import { decimalsOf, grouped, shown } from '../../format/number';

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
  const value = arrival.last[0]?.value;
  return shown(value, decimalsOf(value));
}

const keyOf = (arrival: Arrival) => `${arrival.device}/${arrival.name}`;

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
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const waiting = names.filter((arrival) => arrival.ignored_at === undefined);
  const picked = waiting.filter((arrival) => chosen.has(keyOf(arrival)));
  const claimPicked = useMutation({
    mutationFn: () => claimAll(site.code, picked),
    onSuccess: () => setChosen(new Set()),
    onSettled: () => cache.invalidateQueries({ queryKey: ['arrivals', site.code] }),
  });
  const choose = (some: Arrival[], is: boolean) =>
    setChosen((old) => {
      const next = new Set(old);
      some.forEach((arrival) => (is ? next.add(keyOf(arrival)) : next.delete(keyOf(arrival))));
      return next;
    });
  return (
    <>
      {ignore.error && <ProblemAlert error={ignore.error} />}
      {claimPicked.error && <ProblemAlert error={claimPicked.error} />}
      {waiting.length > 1 && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mb: 1, minHeight: 40 }}>
          <Button
            variant="contained"
            disabled={picked.length === 0}
            loading={claimPicked.isPending}
            onClick={() => claimPicked.mutate()}
          >
            {picked.length === 0 ? 'Claim the chosen' : `Claim ${picked.length} chosen`}
          </Button>
          <Typography color="textSecondary">
            Each becomes the signal it is spelled like, or else one of its own, as it was sent.
          </Typography>
        </Box>
      )}
      <TableContainer component={Paper}>
        <Table>
          <TableHead>
            <TableRow>
              {waiting.length > 1 && (
                <TableCell padding="checkbox">
                  <Checkbox
                    checked={picked.length === waiting.length}
                    indeterminate={picked.length > 0 && picked.length < waiting.length}
                    onChange={(_, is) => choose(waiting, is)}
                    slotProps={{ input: { 'aria-label': 'Choose all' } }}
                  />
                </TableCell>
              )}
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
              <TableRow key={keyOf(arrival)}>
                {waiting.length > 1 && (
                  <TableCell padding="checkbox">
                    <Checkbox
                      checked={chosen.has(keyOf(arrival))}
                      onChange={(_, is) => choose([arrival], is)}
                      slotProps={{ input: { 'aria-label': `Choose ${arrival.name} of ${arrival.device}` } }}
                    />
                  </TableCell>
                )}
                <TableCell>
                  <Link component={RouterLink} to={`/sites/${site.code}/devices/${arrival.device}`}>
                    {arrival.device}
                  </Link>
                </TableCell>
                <TableCell sx={mono}>{arrival.name}</TableCell>
                <TableCell>
                  {arrival.type}
                  {arrival.unit === undefined ? '' : `, maybe ${arrival.unit}`}
                  {arrival.like === undefined ? '' : `, nearly ${arrival.like}`}
                </TableCell>
                <TableCell align="right">
                  {arrival.last
                    .slice(0, 3)
                    .map((reading) => shown(reading.value, decimalsOf(reading.value)))
                    .join(', ') || '—'}
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Age at={arrival.last[0]?.at} zone={site.zone} />
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(arrival.first_at, site.zone)}</TableCell>
                <TableCell align="right">{grouped(arrival.readings)}</TableCell>
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
  const isOwner = me?.is_administrator === true;
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
