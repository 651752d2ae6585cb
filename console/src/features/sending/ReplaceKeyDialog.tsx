import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { IssuedKey, Key } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';

const HOUR = 3600;
const OVERLAPS = [
  { seconds: 0, label: 'not at all: it ends at once' },
  { seconds: HOUR, label: 'an hour' },
  { seconds: 24 * HOUR, label: 'a day' },
  { seconds: 7 * 24 * HOUR, label: 'a week' },
  { seconds: 30 * 24 * HOUR, label: '30 days' },
];

interface Props {
  /** Path of the keys. */
  path: string;
  replaced: Key;
  onIssued: (key: IssuedKey) => void;
  onClose: () => void;
}

/** Puts a new key in place of one, which is taken beside it for a while. */
export function ReplaceKeyDialog({ path, replaced, onIssued, onClose }: Props) {
  const [overlap, setOverlap] = useState(7 * 24 * HOUR);
  const replace = useMutation({
    mutationFn: () => api.post<IssuedKey>(`${path}/${replaced.id}/replace`, { overlap_s: overlap }),
    onSuccess: onIssued,
  });
  return (
    <FormDialog
      title={`Replace the key ending in ${replaced.hint}`}
      submit="Replace it"
      onSubmit={() => replace.mutate()}
      onClose={onClose}
      isPending={replace.isPending}
      error={replace.error}
    >
      <Typography color="textSecondary">
        A new key is made and shown once. Until the old one ends, the sender may use either.
      </Typography>
      <TextField
        select
        label="The old key is taken for"
        value={overlap}
        onChange={(event) => setOverlap(Number(event.target.value))}
      >
        {OVERLAPS.map(({ seconds, label }) => (
          <MenuItem key={seconds} value={seconds}>
            {label}
          </MenuItem>
        ))}
      </TextField>
    </FormDialog>
  );
}
