import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { fullName, keyOf, type Drawn } from './drawn';

interface Props {
  signals: Drawn[];
  /** The one that is chosen, as `device/signal`. */
  value: string;
  onChange: (key: string) => void;
}

/** One of the signals of a chart. */
export function SignalChoice({ signals, value, onChange }: Props) {
  return (
    <TextField
      select
      fullWidth
      label="Signal"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      sx={{ my: 1 }}
    >
      {signals.map((signal) => (
        <MenuItem key={keyOf(signal)} value={keyOf(signal)}>
          {fullName(signal)}
        </MenuItem>
      ))}
    </TextField>
  );
}
