import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import type { Command, CommandArgument, CommandDeclaration } from '../../api/schema';
import { ProblemAlert } from '../../components/states';

interface Props {
  path: string;
  command: CommandDeclaration;
  onGiven: (command: Command) => void;
  onEdit: () => void;
}

/** One command with its arguments, ready to be given. */
export function CommandForm({ path, command, onGiven, onEdit }: Props) {
  const declared = command.arguments ?? [];
  const first = ({ type, choices }: CommandArgument) => (type === 'flag' ? 'on' : (choices?.[0] ?? ''));
  const [values, setValues] = useState<Record<string, string>>({});
  const value = (argument: CommandArgument) => values[argument.name] ?? first(argument);
  const give = useMutation({
    mutationFn: () =>
      api.post<Command>(`${path}/commands`, {
        name: command.name,
        arguments: Object.fromEntries(declared.map((argument) => [argument.name, value(argument)])),
      }),
    onSuccess: onGiven,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    give.mutate();
  };
  const title = command.title ?? command.name;
  return (
    <Box
      component="form"
      onSubmit={submit}
      aria-label={title}
      sx={{ py: 1.5, borderBottom: 1, borderColor: 'divider' }}
    >
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Box sx={{ minWidth: 200, flexGrow: { xs: 1, sm: 0 } }}>
          <Typography sx={{ fontWeight: 600 }}>{title}</Typography>
          <Typography variant="body2" color="textSecondary">
            {command.standing
              ? 'stands until it can be delivered'
              : `answer within ${command.timeout_s ?? 30} s`}
          </Typography>
        </Box>
        {declared.map((argument) => (
          <ArgumentField
            key={argument.name}
            argument={argument}
            value={value(argument)}
            onChange={(text) => setValues({ ...values, [argument.name]: text })}
          />
        ))}
        <Button type="submit" variant="contained" loading={give.isPending}>
          Give
        </Button>
        <Button size="small" onClick={onEdit} aria-label={`Edit ${title}`} sx={{ ml: 'auto' }}>
          Edit
        </Button>
      </Box>
      {give.error && <ProblemAlert error={give.error} />}
    </Box>
  );
}

function ArgumentField({
  argument,
  value,
  onChange,
}: {
  argument: CommandArgument;
  value: string;
  onChange: (text: string) => void;
}) {
  const options = argument.type === 'flag' ? ['on', 'off'] : (argument.choices ?? []);
  const unit = argument.unit === 'Cel' ? '°C' : (argument.unit ?? '');
  const label = unit === '' ? argument.name : `${argument.name}, ${unit}`;
  if (options.length > 0)
    return (
      <TextField
        select
        size="small"
        label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        sx={{ minWidth: 120 }}
      >
        {options.map((option) => (
          <MenuItem key={option} value={option}>
            {option}
          </MenuItem>
        ))}
      </TextField>
    );
  return (
    <TextField
      size="small"
      required
      label={label}
      type={argument.type === 'number' ? 'number' : 'text'}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      slotProps={{ htmlInput: { min: argument.low, max: argument.high, step: 'any' } }}
      sx={{ width: 160 }}
    />
  );
}
