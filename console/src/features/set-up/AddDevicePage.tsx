import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { kinds, sitePath } from '../../api/queries';
import type { MadeDevice, NewDevice, NewDevices, NewSignal } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { DeviceMade } from './DeviceMade';
import { SeveralMade } from './SeveralMade';
import { SignalRows, toNewSignal, type SignalEntry } from './SignalRows';
import {
  CodeField,
  IntervalField,
  KindField,
  PlaceField,
  PositionField,
  intervalSeconds,
  type IntervalEntry,
} from './fields';
import { expand } from './expand';
import { parsePosition } from './position';

/** Makes a device with its signals and its first key. */
export function AddDevicePage() {
  const site = useSite();
  const [name, setName] = useState('');
  const [code, setCode] = useState('');
  const [every, setEvery] = useState<IntervalEntry>({ amount: '60', unit: 's' });
  const [place, setPlace] = useState('');
  const [position, setPosition] = useState('');
  const [params] = useSearchParams();
  const [kind, setKind] = useState(params.get('kind') ?? '');
  const { data: known = [] } = useQuery(kinds(site.code));
  const [rows, setRows] = useState<SignalEntry[]>(
    kind === '' ? [{ id: 1, code: '', type: 'number', unit: '' }] : [],
  );
  const chosen = known.find((one) => one.code === kind);
  const expanded = expand(name);
  const names = expanded ?? [name];
  const make = useMutation({
    mutationFn: async () => {
      const at = parsePosition(position);
      const signals: NewSignal[] = rows.map(toNewSignal);
      const body = (one: string): NewDevice => ({
        name: one,
        note: '',
        place,
        signals,
        ...(kind === '' ? { interval_s: intervalSeconds(every) } : { kind }),
        ...(code === '' || names.length > 1 ? {} : { code }),
        ...(at ? { position: at } : {}),
      });
      // All of them with their keys, or none: whoever tries again makes no second ones.
      const devices = names.map(body);
      const path = `${sitePath(site.code)}/devices/several`;
      return api.post<MadeDevice[]>(path, { devices, keys: true } satisfies NewDevices);
    },
  });
  if (make.data) return <Made made={make.data} />;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Box sx={{ maxWidth: 760 }}>
      <PageHeading gutterBottom>Add a device</PageHeading>
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
              error={expanded === undefined}
              helperText={
                expanded === undefined
                  ? 'What stands in braces is no range of 1 to 500 numbers, such as {1..4}.'
                  : names.length > 1
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
            <PlaceField value={place} onChange={setPlace} />
            <PositionField value={position} onChange={setPosition} />
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
          disabled={
            parsePosition(position) === undefined ||
            expanded === undefined ||
            (kind === '' && Number.isNaN(intervalSeconds(every)))
          }
          sx={{ alignSelf: 'flex-start' }}
        >
          {names.length > 1 ? `Add ${names.length} devices` : 'Add the device and issue its key'}
        </Button>
      </Stack>
    </Box>
  );
}

function Made({ made }: { made: MadeDevice[] }) {
  const [only, ...more] = made;
  if (only?.key && more.length === 0) return <DeviceMade device={only} issued={only.key} />;
  return <SeveralMade made={made} />;
}
