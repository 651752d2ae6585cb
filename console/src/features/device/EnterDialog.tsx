import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import type { Reading, Signal, ReadingValue as Value } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { parseLocal } from '../../format/time';

/** Enters a reading by hand; who did it is noted with it. */
export function EnterDialog({
  path,
  signal,
  onClose,
}: {
  path: string;
  signal: Signal;
  onClose: () => void;
}) {
  const site = useSite();
  const [value, setValue] = useState(signal.type === 'flag' ? 'true' : '');
  const [at, setAt] = useState('');
  const [note, setNote] = useState('');
  const moment = at === '' ? undefined : parseLocal(at, site.zone);
  const wrongTime = at !== '' && moment === undefined;
  const enter = useMutation({
    mutationFn: () =>
      api.post<Reading>(`${path}/readings`, {
        value: typed(signal, value),
        note,
        ...(moment === undefined ? {} : { at: new Date(moment).toISOString() }),
      }),
    onSuccess: onClose,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    enter.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <form onSubmit={submit}>
        <DialogTitle>Enter a reading of {signal.name}</DialogTitle>
        <DialogContent>
          <Stack spacing={2.5} sx={{ pt: 1 }}>
            {signal.type === 'flag' ? (
              <TextField select label="Value" value={value} onChange={(e) => setValue(e.target.value)}>
                <MenuItem value="true">yes</MenuItem>
                <MenuItem value="false">no</MenuItem>
              </TextField>
            ) : (
              <TextField
                label={signal.symbol === '' ? 'Value' : `Value in ${signal.symbol}`}
                type={signal.type === 'number' ? 'number' : 'text'}
                value={value}
                onChange={(e) => setValue(e.target.value)}
                required
                autoFocus
                slotProps={{ htmlInput: signal.type === 'number' ? { step: 'any' } : { maxLength: 1000 } }}
              />
            )}
            <TextField
              label="When"
              value={at}
              onChange={(e) => setAt(e.target.value)}
              error={wrongTime}
              placeholder="2026-05-01 14:00"
              helperText={
                wrongTime ? 'Write it as 2026-05-01 14:00.' : `Time of the site (${site.zone}); now if empty.`
              }
              slotProps={{ inputLabel: { shrink: true } }}
            />
            <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} />
            {enter.error && <ProblemAlert error={enter.error} />}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={enter.isPending} disabled={wrongTime}>
            Enter it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

function typed(signal: Signal, value: string): Value {
  if (signal.type === 'flag') return value === 'true';
  return signal.type === 'number' ? Number(value) : value;
}
