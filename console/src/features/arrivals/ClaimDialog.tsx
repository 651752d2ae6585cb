import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { devicePath, signals } from '../../api/queries';
import type { Arrival, Claimed, ValueType } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';
import { TypeField, UnitField } from '../set-up/fields';
import { grouped } from '../../format/number';

const NEW = '';

interface Props {
  arrival: Arrival;
  onClose: () => void;
}

/** Gives an undeclared name its place: a signal of its own, or a declared one. */
export function ClaimDialog({ arrival, onClose }: Props) {
  const site = useSite();
  const { data: declared = [] } = useQuery(signals(site.code, arrival.device));
  const [into, setInto] = useState(arrival.like ?? NEW);
  const [code, setCode] = useState(arrival.name);
  const [name, setName] = useState('');
  const [type, setType] = useState<ValueType>(arrival.type);
  const [unit, setUnit] = useState(arrival.unit ?? '');
  const claim = useMutation({
    mutationFn: () => {
      const path = `${devicePath(site.code, arrival.device)}/arrivals/${encodeURIComponent(arrival.name)}/claim`;
      const own = {
        code,
        type,
        ...(name === '' ? {} : { name }),
        ...(type === 'number' && unit !== '' ? { unit } : {}),
      };
      return api.post<Claimed>(path, into === NEW ? own : { into });
    },
    onSuccess: onClose,
  });
  return (
    <FormDialog
      title={`Claim ${arrival.name} of ${arrival.device}`}
      submit="Claim it"
      onSubmit={() => claim.mutate()}
      onClose={onClose}
      isPending={claim.isPending}
      error={claim.error}
    >
      <Typography color="textSecondary">
        {arrival.readings === 1
          ? 'One reading goes with it.'
          : `${grouped(arrival.readings)} readings go with it.`}
      </Typography>
      {arrival.like !== undefined && (
        <Typography>
          It is spelled nearly like the declared signal <strong>{arrival.like}</strong>.
        </Typography>
      )}
      <TextField
        select
        label="It belongs to"
        value={into}
        onChange={(e) => setInto(e.target.value)}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      >
        <MenuItem value={NEW}>a signal of its own</MenuItem>
        {declared.map((signal) => (
          <MenuItem key={signal.code} value={signal.code}>
            {signal.name} ({signal.code})
          </MenuItem>
        ))}
      </TextField>
      {into === NEW && (
        <>
          <TextField
            label="Signal code"
            value={code}
            onChange={(e) => setCode(e.target.value)}
            required
            helperText="If it is another than the name, both mean the signal."
            slotProps={{ htmlInput: { pattern: '[A-Za-z0-9._\\-]{1,64}', sx: mono } }}
          />
          <TextField
            label="Name of the signal"
            value={name}
            onChange={(e) => setName(e.target.value)}
            helperText="For people; the code if left empty."
          />
          <TypeField value={type} onChange={setType} />
          <UnitField value={type === 'number' ? unit : ''} onChange={setUnit} disabled={type !== 'number'} />
        </>
      )}
    </FormDialog>
  );
}
