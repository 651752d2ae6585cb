import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState, type FormEvent } from 'react';
import type { CommandArgument, CommandDeclaration } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { mono } from '../../theme/theme';
import { changed, type Change } from '../../without';
import { TypeField, UnitField } from '../set-up/fields';

interface Props {
  /** The command to change; absent to declare a new one. */
  command: CommandDeclaration | undefined;
  error: unknown;
  saving: boolean;
  onSave: (command: CommandDeclaration) => void;
  onClose: () => void;
  onRemove: (() => void) | undefined;
}

const number = (text: string) => (text === '' ? undefined : Number(text));

/** Declares a command: its name, its arguments, how long an answer may take. */
export function CommandDialog({ command, error, saving, onSave, onClose, onRemove }: Props) {
  const [name, setName] = useState(command?.name ?? '');
  const [title, setTitle] = useState(command?.title ?? '');
  const [timeout, setTimeout] = useState(String(command?.timeout_s ?? 30));
  const [standing, setStanding] = useState(command?.standing ?? false);
  const [given, setGiven] = useState<CommandArgument[]>(command?.arguments ?? []);
  const change = (place: number, part: Change<CommandArgument>) =>
    setGiven(given.map((argument, at) => (at === place ? changed(argument, part) : argument)));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onSave({
      name,
      ...(title === '' ? {} : { title }),
      timeout_s: Number(timeout),
      standing,
      arguments: given,
    });
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit}>
        <DialogTitle>{command ? `Command ${command.name}` : 'Declare a command'}</DialogTitle>
        <DialogContent>
          <Stack spacing={2.5} sx={{ pt: 1 }}>
            <TextField
              label="Command"
              value={name}
              onChange={(e) => setName(e.target.value)}
              required
              autoFocus={command === undefined}
              disabled={command !== undefined}
              helperText="The word in topics and on the command line."
              slotProps={{ htmlInput: { pattern: '[A-Za-z0-9._\\-]{1,64}', sx: mono } }}
            />
            <TextField
              label="Name of the command"
              value={title}
              onChange={(e) => setTitle(e.target.value)}
              helperText="For people; the word itself if left empty."
            />
            <TextField
              label="Seconds until an answer is due"
              type="number"
              value={timeout}
              onChange={(e) => setTimeout(e.target.value)}
              required
              slotProps={{ htmlInput: { min: 1, max: 604800, step: 'any' } }}
            />
            <FormControlLabel
              control={<Checkbox checked={standing} onChange={(_, checked) => setStanding(checked)} />}
              label="Sets a state that is to be so: the last one given waits until it can be delivered"
            />
            {given.map((argument, place) => (
              <Arguments
                key={place}
                argument={argument}
                onChange={(part) => change(place, part)}
                onRemove={() => setGiven(given.filter((_, at) => at !== place))}
              />
            ))}
            <Box>
              <Button variant="outlined" onClick={() => setGiven([...given, { name: '', type: 'number' }])}>
                Add an argument
              </Button>
            </Box>
            {error !== null && error !== undefined && <ProblemAlert error={error} />}
          </Stack>
        </DialogContent>
        <DialogActions>
          {onRemove && (
            <Button color="error" onClick={onRemove} sx={{ mr: 'auto' }}>
              Remove it
            </Button>
          )}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={saving}>
            Save
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

function Arguments({
  argument,
  onChange,
  onRemove,
}: {
  argument: CommandArgument;
  onChange: (part: Change<CommandArgument>) => void;
  onRemove: () => void;
}) {
  const isNumber = argument.type === 'number';
  return (
    <Box sx={{ border: 1, borderColor: 'divider', borderRadius: 1, p: 2 }}>
      <Stack spacing={2}>
        <Box sx={{ display: 'flex', alignItems: 'center' }}>
          <Typography sx={{ fontWeight: 600, flexGrow: 1 }}>Argument</Typography>
          <Button size="small" color="error" onClick={onRemove}>
            Take away
          </Button>
        </Box>
        <TextField
          label="Argument name"
          value={argument.name}
          onChange={(e) => onChange({ name: e.target.value })}
          required
          slotProps={{ htmlInput: { pattern: '[A-Za-z0-9._\\-]{1,64}', sx: mono } }}
        />
        <TypeField
          value={argument.type ?? 'number'}
          onChange={(type) =>
            onChange({ type, unit: undefined, low: undefined, high: undefined, choices: undefined })
          }
        />
        {isNumber && (
          <>
            <UnitField
              value={argument.unit ?? ''}
              onChange={(unit) => onChange({ unit: unit === '' ? undefined : unit })}
            />
            <Stack direction="row" spacing={1}>
              <TextField
                label="Least"
                type="number"
                value={argument.low ?? ''}
                onChange={(e) => onChange({ low: number(e.target.value) })}
                slotProps={{ htmlInput: { step: 'any' } }}
              />
              <TextField
                label="Most"
                type="number"
                value={argument.high ?? ''}
                onChange={(e) => onChange({ high: number(e.target.value) })}
                slotProps={{ htmlInput: { step: 'any' } }}
              />
            </Stack>
          </>
        )}
        {argument.type === 'text' && (
          <TextField
            label="What it may be, with commas between"
            value={(argument.choices ?? []).join(',')}
            onChange={(e) => onChange({ choices: e.target.value === '' ? [] : e.target.value.split(',') })}
            helperText="Any text if left empty."
          />
        )}
      </Stack>
    </Box>
  );
}
