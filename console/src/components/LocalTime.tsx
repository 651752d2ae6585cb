import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { dateTime, parseLocal } from '../format/time';

/** A time of the site, to be seen and changed with the keyboard. */
export function LocalTime({
  label,
  at,
  zone,
  onChange,
}: {
  label: string;
  at: number;
  zone: string;
  onChange: (at: number) => void;
}) {
  // While it is being typed the text is the typist's; else it follows the chart.
  const [typed, setTyped] = useState<string | null>(null);
  const entered = typed === null ? undefined : parseLocal(typed, zone);
  const finish = () => {
    if (entered !== undefined) onChange(entered);
    setTyped(null);
  };
  return (
    <TextField
      label={label}
      value={typed ?? dateTime(at, zone).slice(0, 16)}
      error={typed !== null && entered === undefined}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => event.key === 'Enter' && finish()}
      slotProps={{ htmlInput: { title: 'Date and time at the site, such as 2026-05-01 14:02' } }}
      sx={{ width: 164 }}
    />
  );
}
