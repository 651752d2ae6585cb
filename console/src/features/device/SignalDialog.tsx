import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { Signal, SignalRole, ValueType } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { NumberEntry } from '../../components/NumberEntry';
import { holdsNaN, numberOrNull, written } from '../../format/entry';
import { mono } from '../../theme/theme';
import { TypeField, UnitField } from '../set-up/fields';

interface Props {
  path: string;
  /** The signal to change; absent to declare a new one. */
  signal?: Signal;
  onClose: () => void;
}

export function SignalDialog({ path, signal, onClose }: Props) {
  const [code, setCode] = useState(signal?.code ?? '');
  const [name, setName] = useState(signal?.name ?? '');
  const [type, setType] = useState<ValueType>(signal?.type ?? 'number');
  const [unit, setUnit] = useState(signal?.unit ?? '');
  const [note, setNote] = useState(signal?.note ?? '');
  const [low, setLow] = useState(written(signal?.low));
  const [high, setHigh] = useState(written(signal?.high));
  const [every, setEvery] = useState(written(signal?.interval_s));
  const [reserved, setReserved] = useState(signal?.reserved ?? false);
  const [role, setRole] = useState<SignalRole | ''>(signal?.role ?? '');
  const limit = (text: string) => (type === 'number' ? numberOrNull(text) : null);
  const save = useMutation({
    mutationFn: () => {
      const given = type === 'number' && unit !== '' ? unit : null;
      return signal
        ? api.patch<Signal>(`${path}/${encodeURIComponent(signal.code)}`, {
            name,
            type,
            unit: given,
            note,
            low: limit(low),
            high: limit(high),
            interval_s: numberOrNull(every),
            reserved,
            role: type === 'number' && role !== '' ? role : null,
          })
        : api.post<Signal>(path, {
            code,
            type,
            note,
            low: limit(low),
            high: limit(high),
            interval_s: numberOrNull(every),
            reserved,
            role: type === 'number' && role !== '' ? role : null,
            ...(name === '' ? {} : { name }),
            ...(given === null ? {} : { unit: given }),
          });
    },
    onSuccess: onClose,
  });
  const isWrong = holdsNaN([limit(low), limit(high), numberOrNull(every)]);
  return (
    <FormDialog
      title={signal ? `Signal ${signal.code}` : 'Declare a signal'}
      submit={signal ? 'Save' : 'Declare'}
      onSubmit={() => save.mutate()}
      onClose={onClose}
      isPending={save.isPending}
      error={save.error}
      disabled={isWrong}
    >
      {!signal && (
        <TextField
          label="Signal code"
          value={code}
          onChange={(e) => setCode(e.target.value)}
          required
          autoFocus
          helperText="The name the sender uses. Readings that wait under it become its history."
          slotProps={{ htmlInput: { pattern: '[A-Za-z0-9._\\-]{1,64}', sx: mono } }}
        />
      )}
      <TextField
        label="Name of the signal"
        value={name}
        onChange={(e) => setName(e.target.value)}
        required={signal !== undefined}
        helperText="For people; the code if left empty."
      />
      <TypeField value={type} onChange={setType} />
      <UnitField value={type === 'number' ? unit : ''} onChange={setUnit} disabled={type !== 'number'} />
      {type === 'number' && (
        <TextField
          select
          label="Tells of the link"
          value={role}
          onChange={(e) => setRole(e.target.value as SignalRole | '')}
          helperText="A message number counts what the radio loses."
        >
          <MenuItem value="">Nothing</MenuItem>
          <MenuItem value="sequence">Message number</MenuItem>
          <MenuItem value="battery">Battery</MenuItem>
          <MenuItem value="link">Link quality</MenuItem>
        </TextField>
      )}
      {type === 'number' && (
        <Stack direction="row" spacing={1}>
          <NumberEntry label="Lowest possible" value={low} onChange={setLow} />
          <NumberEntry label="Highest possible" value={high} onChange={setHigh} />
        </Stack>
      )}
      <NumberEntry
        label="Expected every (s)"
        value={every}
        onChange={setEvery}
        helperText="As often as its device reports if left empty."
      />
      <FormControlLabel
        control={<Checkbox checked={reserved} onChange={(_, checked) => setReserved(checked)} />}
        label="Only its device may send it"
      />
      <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} multiline />
    </FormDialog>
  );
}
