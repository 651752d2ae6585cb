import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { Reading, Signal, ReadingValue as Value } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { NumberEntry } from '../../components/NumberEntry';
import { useSite } from '../../components/siteContext';
import { numberOrNull, readNumber } from '../../format/entry';
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
  const wrongValue = signal.type === 'number' && typeof readNumber(value) !== 'number';
  return (
    <FormDialog
      title={`Enter a reading of ${signal.name}`}
      submit="Enter it"
      onSubmit={() => enter.mutate()}
      onClose={onClose}
      isPending={enter.isPending}
      error={enter.error}
      disabled={wrongTime || wrongValue}
    >
      {signal.type === 'flag' ? (
        <TextField select label="Value" value={value} onChange={(e) => setValue(e.target.value)}>
          <MenuItem value="true">yes</MenuItem>
          <MenuItem value="false">no</MenuItem>
        </TextField>
      ) : signal.type === 'number' ? (
        <NumberEntry
          label={signal.symbol === '' ? 'Value' : `Value in ${signal.symbol}`}
          value={value}
          onChange={setValue}
          required
          autoFocus
        />
      ) : (
        <TextField
          label="Value"
          value={value}
          onChange={(e) => setValue(e.target.value)}
          required
          autoFocus
          {...(signal.type === 'position' && {
            helperText: 'Degrees north and east, then perhaps metres of altitude: 54.5,-2.3,190',
          })}
          slotProps={{ htmlInput: { maxLength: 1000 } }}
        />
      )}
      <TextField
        label="When"
        value={at}
        onChange={(e) => setAt(e.target.value)}
        error={wrongTime}
        placeholder="2026-05-01 14:00"
        helperText={
          wrongTime ? 'Write it as 2026-05-01 14:00.' : `In the time of ${site.zone}; now if empty.`
        }
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} />
    </FormDialog>
  );
}

function typed(signal: Signal, value: string): Value {
  if (signal.type === 'flag') return value === 'true';
  return signal.type === 'number' ? (numberOrNull(value) ?? NaN) : value;
}
