import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { FormDialog } from '../../components/FormDialog';
import { useAnswer } from './useAnswer';

const TIMES = [
  { minutes: 30, label: '30 minutes' },
  { minutes: 120, label: '2 hours' },
  { minutes: 480, label: '8 hours' },
  { minutes: 1_440, label: 'A day' },
  { minutes: 10_080, label: 'A week' },
  { minutes: 43_200, label: '30 days' },
];

/** Puts an alarm aside for a time, with the reason. */
export function ShelveDialog({ site, id, onClose }: { site: string; id: number; onClose: () => void }) {
  const [minutes, setMinutes] = useState(120);
  const [note, setNote] = useState('');
  const answer = useAnswer(site);
  return (
    <FormDialog
      title="Shelve it"
      submit="Shelve it"
      onSubmit={() =>
        answer.mutate({ ids: [id], answer: { answer: 'shelve', minutes, note } }, { onSuccess: onClose })
      }
      onClose={onClose}
      isPending={answer.isPending}
      error={answer.error}
      disabled={note.trim() === ''}
    >
      <TextField
        select
        label="For"
        value={minutes}
        onChange={(event) => setMinutes(Number(event.target.value))}
      >
        {TIMES.map((time) => (
          <MenuItem key={time.minutes} value={time.minutes}>
            {time.label}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Why"
        value={note}
        onChange={(event) => setNote(event.target.value)}
        helperText="Nobody is called until then. What happens is recorded all the same."
        autoFocus
        required
      />
    </FormDialog>
  );
}
