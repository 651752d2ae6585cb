import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import type { Kind, KindDescription } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { without } from '../../without';
import { DecoderEditor } from '../sending/DecoderEditor';
import { decoderText, parseDecoder } from '../sending/decoder';
import { SignalRows, toEntry, toNewSignal, type SignalEntry } from '../set-up/SignalRows';
import {
  CodeField,
  IntervalField,
  intervalEntry,
  intervalSeconds,
  type IntervalEntry,
} from '../set-up/fields';

interface Props {
  /** What there is already; without it, a new kind. */
  description?: KindDescription;
  submitLabel: string;
  save: (description: KindDescription) => Promise<Kind>;
  onSaved: (kind: Kind) => void;
}

/** Describes a kind: interval, signals, decoder. */
export function KindForm({ description, submitLabel, save, onSaved }: Props) {
  const [name, setName] = useState(description?.name ?? '');
  const [code, setCode] = useState(description?.code ?? '');
  const [note, setNote] = useState(description?.note ?? '');
  const [every, setEvery] = useState<IntervalEntry>(intervalEntry(description?.interval_s ?? 60));
  const [rows, setRows] = useState<SignalEntry[]>(
    description?.signals?.map(toEntry) ?? [{ id: 1, code: '', type: 'number', unit: '' }],
  );
  const [decoder, setDecoder] = useState(decoderText(description?.decoder));
  const parsed = parseDecoder(decoder);
  const saving = useMutation({
    mutationFn: () => {
      return save({
        // What this form does not show stays as it is.
        ...(description === undefined ? {} : without(description, 'decoder')),
        name,
        note,
        interval_s: intervalSeconds(every),
        signals: rows.map(toNewSignal),
        ...(code === '' ? {} : { code }),
        ...(parsed.ok && parsed.form ? { decoder: parsed.form } : {}),
      });
    },
    onSuccess: onSaved,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    saving.mutate();
  };
  return (
    <Stack component="form" spacing={3} onSubmit={submit}>
      <Paper sx={{ p: 3 }}>
        <Stack spacing={2.5} sx={{ maxWidth: 700 }}>
          <TextField
            label="Name of the kind"
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
          />
          {!description && <CodeField name={name} value={code} onChange={setCode} />}
          <IntervalField value={every} onChange={setEvery} />
          <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} multiline />
        </Stack>
      </Paper>
      <Paper sx={{ p: 3 }}>
        <Typography variant="h2" sx={{ mb: 2 }}>
          Signals
        </Typography>
        <SignalRows rows={rows} onChange={setRows} />
      </Paper>
      <Paper sx={{ p: 3 }}>
        <Typography variant="h2" sx={{ mb: 2 }}>
          Decoder
        </Typography>
        <DecoderEditor
          text={decoder}
          onChange={setDecoder}
          signals={rows.filter((row) => row.code !== '').map(toNewSignal)}
        />
      </Paper>
      {saving.error && <ProblemAlert error={saving.error} />}
      <Button
        type="submit"
        variant="contained"
        loading={saving.isPending}
        disabled={!parsed.ok}
        sx={{ alignSelf: 'flex-start' }}
      >
        {submitLabel}
      </Button>
    </Stack>
  );
}
