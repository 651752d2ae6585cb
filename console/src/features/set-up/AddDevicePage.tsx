import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { devicePath, kinds, sitePath } from '../../api/queries';
import type { Device, IssuedKey, NewDevice, NewSignal } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { DeviceMade } from './DeviceMade';
import { SignalRows, toNewSignal, type SignalEntry } from './SignalRows';
import {
  CodeField,
  IntervalField,
  KindField,
  PositionField,
  intervalSeconds,
  type IntervalEntry,
} from './fields';
import { expand } from './expand';
import { parsePosition } from './position';

/** Makes a device with its signals and its first key. */
export function AddDevicePage() {
  const site = useSite();
  const cache = useQueryClient();
  const [name, setName] = useState('');
  const [code, setCode] = useState('');
  const [every, setEvery] = useState<IntervalEntry>({ amount: '60', unit: 's' });
  const [place, setPlace] = useState('');
  const [params] = useSearchParams();
  const [kind, setKind] = useState(params.get('kind') ?? '');
  const { data: known = [] } = useQuery(kinds(site.code));
  const [rows, setRows] = useState<SignalEntry[]>(
    kind === '' ? [{ id: 1, code: '', type: 'number', unit: '' }] : [],
  );
  const chosen = known.find((one) => one.code === kind);
  const names = expand(name);
  const navigate = useNavigate();
  const make = useMutation({
    mutationFn: async () => {
      const position = parsePosition(place);
      const signals: NewSignal[] = rows.map(toNewSignal);
      const body = (one: string): NewDevice => ({
        name: one,
        note: '',
        signals,
        ...(kind === '' ? { interval_s: intervalSeconds(every) } : { kind }),
        ...(code === '' || names.length > 1 ? {} : { code }),
        ...(position ? { position } : {}),
      });
      const path = `${sitePath(site.code)}/devices`;
      if (names.length > 1) {
        for (const one of names) await api.post<Device>(path, body(one));
        await navigate(`/sites/${site.code}/set-up`);
        return undefined;
      }
      const device = await api.post<Device>(path, body(name));
      const key = await api.post<IssuedKey>(`${devicePath(site.code, device.code)}/keys`, {});
      await cache.invalidateQueries({ queryKey: ['now', site.code] });
      return { device, secret: key.key, signals: [...(chosen?.description.signals ?? []), ...signals] };
    },
  });
  if (make.data) return <DeviceMade {...make.data} />;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Box sx={{ maxWidth: 760 }}>
      <Typography variant="h1" gutterBottom>
        Add a device
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 3 }}>
        One thing in the field that sends readings. You get its key at once.
      </Typography>
      <Stack component="form" spacing={3} onSubmit={submit}>
        <Paper sx={{ p: 3 }}>
          <Stack spacing={2.5}>
            <TextField
              label="Name of the device"
              value={name}
              onChange={(e) => setName(e.target.value)}
              required
              autoFocus
              helperText={
                names.length > 1
                  ? `Makes ${names.length} devices: ${names[0]} to ${names.at(-1)}.`
                  : 'shed-{1..4} stands for four devices.'
              }
            />
            {names.length === 1 && <CodeField name={name} value={code} onChange={setCode} />}
            <KindField
              kinds={known}
              value={kind}
              onChange={(code) => {
                setKind(code);
                if (code !== '') setRows(rows.filter((row) => row.code !== ''));
              }}
              helperText={
                chosen
                  ? `Has ${chosen.description.signals?.map((signal) => signal.code).join(', ') ?? 'no signals'}.`
                  : 'A make of device that is described already.'
              }
            />
            {kind === '' && <IntervalField value={every} onChange={setEvery} />}
            <PositionField value={place} onChange={setPlace} />
          </Stack>
        </Paper>
        <Paper sx={{ p: 3 }}>
          <Typography variant="h2" gutterBottom>
            Signals
          </Typography>
          <Typography color="textSecondary" sx={{ mb: 2 }}>
            {chosen
              ? 'Beside those of its kind. More can be declared later.'
              : 'What it measures. The code is the name the sender uses. More can be declared later.'}
          </Typography>
          <SignalRows rows={rows} onChange={setRows} />
        </Paper>
        {make.error && <ProblemAlert error={make.error} />}
        <Button
          type="submit"
          variant="contained"
          loading={make.isPending}
          disabled={parsePosition(place) === undefined}
          sx={{ alignSelf: 'flex-start' }}
        >
          {names.length > 1 ? `Add ${names.length} devices` : 'Add the device and issue its key'}
        </Button>
      </Stack>
    </Box>
  );
}
