import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import Paper from '@mui/material/Paper';
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
import { useState, type FormEvent } from 'react';
import { Link as RouterLink, useNavigate } from 'react-router';
import { api } from '../../api/client';
import { site as siteQuery, siteNow } from '../../api/queries';
import type { DecimalMark, Site } from '../../api/schema';
import { RemoveDialog } from '../../components/RemoveDialog';
import { PageHeading } from '../../components/PageHeading';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { interval } from '../../format/age';
import { mono } from '../../theme/theme';
import { KeysPanel } from '../sending/KeysPanel';
import { MqttSessionsPanel } from './MqttSessionsPanel';
import { RemovedPanel } from './RemovedPanel';
import { PositionField, ZoneField } from './fields';
import { parsePosition, positionText } from './position';
import { May } from '../../components/may';

/** The site itself and the list of its devices. */
export function SiteSetUpPage() {
  const site = useSite();
  // Its own zone and decimal mark, whatever those of who looks are.
  const { data: own } = useQuery(siteQuery(site.code));
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const cache = useQueryClient();
  const path = `/sites/${encodeURIComponent(site.code)}`;
  const gone = async () => {
    await navigate('/');
    cache.removeQueries({ queryKey: ['site', site.code] });
    await cache.invalidateQueries({ queryKey: ['sites'] });
  };
  return (
    <>
      <PageHeading gutterBottom>Set-up of {site.name}</PageHeading>
      <Stack spacing={3}>
        <Devices />
        <RemovedPanel />
        <Paper sx={{ p: 3 }}>
          <Typography variant="h2" gutterBottom>
            Keys of the site
          </Typography>
          <Typography color="textSecondary" sx={{ mb: 1, maxWidth: 760 }}>
            With a key of the site that may send, a device nobody has declared is an arrival from its first
            message on. With one that may read, a display or program reads back all the site has.
          </Typography>
          <May right="manage">
            <KeysPanel />
          </May>
        </Paper>
        <May right="set_up">
          <MqttSessionsPanel />
        </May>
        <Paper sx={{ p: 3 }}>
          <Typography variant="h2" gutterBottom>
            Set-up as a document
          </Typography>
          <Typography color="textSecondary" sx={{ mb: 1.5, maxWidth: 760 }}>
            Kinds, devices and signals in one file that can be compared and applied again, here or on another
            service. Keys and readings are not in it. Applied with: lantern site apply FILE
          </Typography>
          <Button href={`/api/v1${path}/document`} download={`${site.code}.json`} variant="outlined">
            Download the set-up
          </Button>
        </Paper>
        <Paper sx={{ p: 3, maxWidth: 760 }}>
          <Typography variant="h2" sx={{ mb: 2 }}>
            Site
          </Typography>
          <May right="manage">{own && <SiteForm key={site.code} site={own} path={path} />}</May>
        </Paper>
        <Box>
          <May right="manage">
            <Button color="error" variant="outlined" onClick={() => setRemoving(true)}>
              Remove this site
            </Button>
          </May>
        </Box>
      </Stack>
      {removing && (
        <RemoveDialog
          path={path}
          what="site"
          code={site.code}
          onClose={() => setRemoving(false)}
          onRemoved={() => void gone()}
        />
      )}
    </>
  );
}

function Devices() {
  const site = useSite();
  const { data = [], error } = useQuery(siteNow(site.code));
  return (
    <Paper sx={{ p: 3 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, justifyContent: 'space-between', mb: 1 }}>
        <Typography variant="h2">Devices</Typography>
        <Box sx={{ display: 'flex', gap: 1 }}>
          <May right="record">
            <Button component={RouterLink} to={`/sites/${site.code}/people`}>
              People
            </Button>
          </May>
          <Button component={RouterLink} to={`/sites/${site.code}/kinds`}>
            Kinds of device
          </Button>
          <May right="set_up">
            <Button component={RouterLink} to={`/sites/${site.code}/add-device`} variant="contained">
              Add a device
            </Button>
          </May>
        </Box>
      </Box>
      {error && <ProblemAlert error={error} />}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Code</TableCell>
              <TableCell>State</TableCell>
              <TableCell align="right">Signals</TableCell>
              <TableCell align="right">Reports every</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((device) => (
              <TableRow key={device.device}>
                <TableCell>
                  <Link component={RouterLink} to={`/sites/${site.code}/devices/${device.device}`}>
                    {device.name}
                  </Link>
                </TableCell>
                <TableCell sx={mono}>{device.device}</TableCell>
                <TableCell>
                  {device.state === 'trial' ? `${device.presence}, in trial` : device.presence}
                </TableCell>
                <TableCell align="right">{device.signals.length}</TableCell>
                <TableCell align="right">{interval(device.interval_s)}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Paper>
  );
}

function SiteForm({ site, path }: { site: Site; path: string }) {
  const [name, setName] = useState(site.name);
  const [zone, setZone] = useState(site.zone);
  const [mark, setMark] = useState<DecimalMark>(site.decimal_mark ?? 'point');
  const [place, setPlace] = useState(positionText(site.position));
  const cache = useQueryClient();
  const save = useMutation({
    mutationFn: () =>
      api.patch<Site>(path, { name, zone, decimal_mark: mark, position: parsePosition(place) }),
    onSuccess: (changed) => cache.setQueryData(['site', site.code], changed),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  return (
    <Stack component="form" spacing={2.5} onSubmit={submit}>
      <TextField label="Name of the site" value={name} onChange={(e) => setName(e.target.value)} required />
      <ZoneField value={zone} onChange={setZone} />
      <TextField
        select
        label="Numbers are written with"
        value={mark}
        onChange={(e) => setMark(e.target.value as DecimalMark)}
        helperText="Fields understand both, whatever is chosen here."
      >
        <MenuItem value="point">a decimal point: 1.5</MenuItem>
        <MenuItem value="comma">a decimal comma: 1,5</MenuItem>
      </TextField>
      <PositionField value={place} onChange={setPlace} />
      {save.error && <ProblemAlert error={save.error} />}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
        <Button
          type="submit"
          variant="outlined"
          loading={save.isPending}
          disabled={parsePosition(place) === undefined}
        >
          Save
        </Button>
        <Typography color="textSecondary" role="status">
          {save.isSuccess ? 'Saved.' : ''}
        </Typography>
      </Box>
    </Stack>
  );
}
