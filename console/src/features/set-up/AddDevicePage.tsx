import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import { devicePath } from '../../api/queries';
import type { Device, IssuedKey, NewDevice, NewSignal } from '../../api/types';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { DeviceMade } from './DeviceMade';
import { SignalRows, toNewSignal, type SignalEntry } from './SignalRows';
import { CodeField, IntervalField, PositionField, intervalSeconds, type IntervalEntry } from './fields';
import { parsePosition } from './position';

/** Makes a device with its signals and its first key. */
export function AddDevicePage() {
  const site = useSite();
  const cache = useQueryClient();
  const [name, setName] = useState('');
  const [code, setCode] = useState('');
  const [every, setEvery] = useState<IntervalEntry>({ amount: '60', unit: 's' });
  const [place, setPlace] = useState('');
  const [rows, setRows] = useState<SignalEntry[]>([{ id: 1, code: '', type: 'number', unit: '' }]);
  const make = useMutation({
    mutationFn: async () => {
      const position = parsePosition(place);
      const signals: NewSignal[] = rows.map(toNewSignal);
      const body: NewDevice = {
        name,
        note: '',
        interval_s: intervalSeconds(every),
        signals,
        ...(code === '' ? {} : { code }),
        ...(position ? { position } : {}),
      };
      const device = await api.post<Device>(`/sites/${encodeURIComponent(site.code)}/devices`, body);
      const key = await api.post<IssuedKey>(`${devicePath(site.code, device.code)}/keys`, {});
      await cache.invalidateQueries({ queryKey: ['now', site.code] });
      return { device, secret: key.key, signals };
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
            />
            <CodeField name={name} value={code} onChange={setCode} />
            <IntervalField value={every} onChange={setEvery} />
            <PositionField value={place} onChange={setPlace} />
          </Stack>
        </Paper>
        <Paper sx={{ p: 3 }}>
          <Typography variant="h2" gutterBottom>
            Signals
          </Typography>
          <Typography color="textSecondary" sx={{ mb: 2 }}>
            What it measures. The code is the name the sender uses. More can be declared later.
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
          Add the device and issue its key
        </Button>
      </Stack>
    </Box>
  );
}
