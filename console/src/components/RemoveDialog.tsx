import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../api/client';
import type { Removal } from '../api/schema';
import { Loading, ProblemAlert } from './states';
import { grouped } from '../format/number';

interface Props {
  path: string;
  /** A site is gone for good; what it holds can be brought back for a day. */
  what: 'device' | 'signal' | 'site';
  code: string;
  onClose: () => void;
  onRemoved: () => void;
}

/** Says how much would go with something and asks for its code before removing it. */
export function RemoveDialog({ path, what, code, onClose, onRemoved }: Props) {
  const [typed, setTyped] = useState('');
  const extent = useQuery({
    queryKey: ['extent', path],
    queryFn: () => api.get<Removal>(`${path}/extent`),
    gcTime: 0,
  });
  const remove = useMutation({
    mutationFn: () => api.delete<Removal>(`${path}?confirm=${encodeURIComponent(code)}`),
    onSuccess: onRemoved,
  });
  const { data } = extent;
  const after = what === 'site' ? 'They cannot be brought back.' : 'For a day it can be brought back.';
  const count = data ? `${data.at_least ? 'more than ' : ''}${grouped(data.readings)}` : '';
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <DialogTitle>
        Remove the {what} {code}?
      </DialogTitle>
      <DialogContent>
        {extent.error && <ProblemAlert error={extent.error} />}
        {extent.isPending && <Loading height={80} />}
        {data && (
          <>
            <Typography sx={{ mb: 2 }}>
              {data.readings === 0 ? 'It has no readings.' : `With it go ${count} readings. ${after}`}
            </Typography>
            <TextField
              label={`Type its code ${code}`}
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
              fullWidth
              autoFocus
              autoComplete="off"
            />
          </>
        )}
        {remove.error && <ProblemAlert error={remove.error} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Keep it</Button>
        <Button
          color="error"
          variant="contained"
          disabled={typed !== code}
          loading={remove.isPending}
          onClick={() => remove.mutate()}
        >
          Remove
        </Button>
      </DialogActions>
    </Dialog>
  );
}
