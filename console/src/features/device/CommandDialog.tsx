import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { CommandArgument, CommandDeclaration } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { NumberEntry } from '../../components/NumberEntry';
import { holdsNaN, numberOrNull } from '../../format/entry';
import { mono } from '../../theme/theme';
import { changed, type Change } from '../../without';
import { NumberField } from '../meaning/StepFields';
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

/** Declares a command: its name, its arguments, how long an answer may take. */
export function CommandDialog({ command, error, saving, onSave, onClose, onRemove }: Props) {
  const [name, setName] = useState(command?.name ?? '');
  const [title, setTitle] = useState(command?.title ?? '');
  const [timeout, setTimeout] = useState(String(command?.timeout_s ?? 30));
  const [standing, setStanding] = useState(command?.standing ?? false);
  const [given, setGiven] = useState<CommandArgument[]>(command?.arguments ?? []);
  const isWrong = holdsNaN([numberOrNull(timeout), given.flatMap(({ low, high }) => [low, high])]);
  const change = (place: number, part: Change<CommandArgument>) =>
    setGiven(given.map((argument, at) => (at === place ? changed(argument, part) : argument)));
  return (
    <FormDialog
      title={command ? `Command ${command.name}` : 'Declare a command'}
      submit="Save"
      onSubmit={() =>
        onSave({
          name,
          ...(title === '' ? {} : { title }),
          timeout_s: numberOrNull(timeout) ?? NaN,
          standing,
          arguments: given,
        })
      }
      onClose={onClose}
      isPending={saving}
      error={error}
      width="sm"
      disabled={isWrong}
      other={
        onRemove && (
          <Button color="error" onClick={onRemove} sx={{ mr: 'auto' }}>
            Remove it
          </Button>
        )
      }
    >
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
      <NumberEntry label="Seconds until an answer is due" value={timeout} onChange={setTimeout} required />
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
    </FormDialog>
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
              <NumberField label="Least" value={argument.low} onChange={(low) => onChange({ low })} />
              <NumberField label="Most" value={argument.high} onChange={(high) => onChange({ high })} />
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
