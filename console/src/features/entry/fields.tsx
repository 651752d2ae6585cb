import TextField from '@mui/material/TextField';
import { toProblem } from '../../api/problem';

interface FieldProps {
  value: string;
  onChange: (value: string) => void;
}

/** The password one has. */
export function PasswordField({ value, onChange, label = 'Password' }: FieldProps & { label?: string }) {
  return (
    <TextField
      label={label}
      type="password"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      autoComplete="current-password"
      required
    />
  );
}

/** A password that is chosen. */
export function NewPasswordField({
  value,
  onChange,
  label = 'Password',
  hint = 'At least 10 characters; three or four words that do not belong together are good.',
  autoFocus = false,
}: FieldProps & { label?: string; hint?: string; autoFocus?: boolean }) {
  return (
    <TextField
      label={label}
      type="password"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      autoComplete="new-password"
      helperText={hint}
      autoFocus={autoFocus}
      required
    />
  );
}

/** The code of the second factor. */
export function SecondFactorField({ value, onChange }: FieldProps) {
  return (
    <TextField
      label="Code of your second factor"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      autoComplete="one-time-code"
      helperText="The six digits your telephone shows, or a recovery code."
      autoFocus
      required
    />
  );
}

/** Whether the code of the second factor was missing, or wrong; nothing if it is not about that. */
export function codeWas(error: Error | null): 'missing' | 'wrong' | undefined {
  const code = error === null ? undefined : toProblem(error).code;
  if (code === 'second-factor-needed') return 'missing';
  return code === 'wrong-second-factor' ? 'wrong' : undefined;
}
