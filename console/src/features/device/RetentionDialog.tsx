import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { retention as retentionQuery } from '../../api/queries';
import type { Retention, RetentionEffect, RetentionState } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { Loading } from '../../components/states';
import { bytes, LENGTHS, lengthLabel } from './keeping';
import { grouped } from '../../format/number';

const ROWS = [
  { field: 'raw_s', label: 'Readings themselves' },
  { field: 'minute_s', label: 'Summaries of minutes' },
  { field: 'hour_s', label: 'Summaries of hours' },
  { field: 'day_s', label: 'Summaries of days' },
] as const;

interface Props {
  /** Path of the signal. */
  path: string;
  code: string;
  onClose: () => void;
}

/** How long a signal's readings and summaries are kept, tried out before it is set. */
export function RetentionDialog({ path, code, onClose }: Props) {
  const { data, error } = useQuery(retentionQuery(path));
  const title = `How long ${code} is kept`;
  if (data) return <RetentionForm title={title} path={path} state={data} onClose={onClose} />;
  return (
    <FormDialog
      title={title}
      submit="Set"
      onSubmit={onClose}
      onClose={onClose}
      isPending={false}
      error={error}
      disabled
    >
      {!error && <Loading height={200} />}
    </FormDialog>
  );
}

function RetentionForm({
  title,
  path,
  state,
  onClose,
}: {
  title: string;
  path: string;
  state: RetentionState;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const [wanted, setWanted] = useState<Retention>(state.effective);
  const send = (dry: boolean) =>
    api.put<RetentionEffect>(`${path}/retention${dry ? '?dry_run=true' : ''}`, wanted);
  const done = async () => {
    await client.invalidateQueries({ queryKey: ['retention'] });
    onClose();
  };
  const trial = useMutation({ mutationFn: () => send(true) });
  const save = useMutation({ mutationFn: () => send(false), onSuccess: done });
  const reset = useMutation({ mutationFn: () => api.delete(`${path}/retention`), onSuccess: done });
  const error = save.error ?? trial.error ?? reset.error;
  const change = (field: keyof Retention, text: string) => {
    const rest = { ...wanted };
    delete rest[field];
    setWanted(text === '' ? rest : { ...rest, [field]: Number(text) });
    trial.reset();
  };
  return (
    // What would go is shown before it goes: without a try-out nothing is set.
    <FormDialog
      title={title}
      submit={trial.data ? 'Set' : 'Try out'}
      onSubmit={() => (trial.data ? save.mutate() : trial.mutate())}
      onClose={onClose}
      isPending={save.isPending || trial.isPending}
      error={error}
      other={
        state.own && (
          <Button onClick={() => reset.mutate()} disabled={reset.isPending} sx={{ mr: 'auto' }}>
            As the kind
          </Button>
        )
      }
    >
      {!state.own && <Typography>Nothing is set here: it is kept as its kind says, or for ever.</Typography>}
      {ROWS.map(({ field, label }) => (
        <TextField
          key={field}
          select
          label={label}
          value={wanted[field] ?? ''}
          onChange={(event) => change(field, event.target.value)}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          {LENGTHS.map(({ seconds, label: length }) => (
            <MenuItem key={length} value={seconds ?? ''}>
              {length}
            </MenuItem>
          ))}
          {wanted[field] !== undefined && !LENGTHS.some(({ seconds }) => seconds === wanted[field]) && (
            <MenuItem value={wanted[field]}>{lengthLabel(wanted[field])}</MenuItem>
          )}
        </TextField>
      ))}
      {trial.data && <Effect effect={trial.data} />}
    </FormDialog>
  );
}

function Effect({ effect }: { effect: RetentionEffect }) {
  if (effect.readings === 0) return <Alert severity="info">Nothing would go now.</Alert>;
  return (
    <Alert severity="warning">
      {grouped(effect.readings)} readings would go within the hour and cannot be brought back. Summaries of{' '}
      {grouped(effect.summarized)} of them stay. {bytes(effect.bytes)} become free.
    </Alert>
  );
}
