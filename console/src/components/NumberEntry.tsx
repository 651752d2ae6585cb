import TextField, { type TextFieldProps } from '@mui/material/TextField';
import { entryHint, readNumber } from '../format/entry';

/** A field for a number, with a decimal point or comma. What is no number is said at once. */
export function NumberEntry({
  value,
  onChange,
  helperText,
  ...props
}: {
  value: string;
  onChange: (text: string) => void;
} & Omit<TextFieldProps, 'value' | 'onChange' | 'type' | 'error'>) {
  const hint = entryHint(value);
  return (
    <TextField
      {...props}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      error={readNumber(value) === 'wrong'}
      helperText={hint ?? helperText}
      slotProps={{ ...props.slotProps, htmlInput: { inputMode: 'decimal', spellCheck: false } }}
    />
  );
}
