import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import type { DayOfWeek } from '../../api/schema';

const DAYS: { day: DayOfWeek; label: string }[] = [
  { day: 'mon', label: 'Monday' },
  { day: 'tue', label: 'Tuesday' },
  { day: 'wed', label: 'Wednesday' },
  { day: 'thu', label: 'Thursday' },
  { day: 'fri', label: 'Friday' },
  { day: 'sat', label: 'Saturday' },
  { day: 'sun', label: 'Sunday' },
];

/** Days of the week; none means every day. */
export function DaysField({
  value,
  onChange,
}: {
  value: DayOfWeek[];
  onChange: (days: DayOfWeek[]) => void;
}) {
  const shown = (days: DayOfWeek[]) =>
    days.length === 0
      ? 'Every day'
      : DAYS.filter(({ day }) => days.includes(day))
          .map(({ label }) => label)
          .join(', ');
  return (
    <TextField
      select
      label="Days"
      value={value}
      onChange={(event) => onChange(event.target.value as unknown as DayOfWeek[])}
      slotProps={{
        inputLabel: { shrink: true },
        select: {
          multiple: true,
          displayEmpty: true,
          renderValue: (days) => shown(days as DayOfWeek[]),
        },
      }}
    >
      {DAYS.map(({ day, label }) => (
        <MenuItem key={day} value={day}>
          {label}
        </MenuItem>
      ))}
    </TextField>
  );
}

interface Span {
  from: string;
  to: string;
}

interface SpanProps {
  type: 'time' | 'date';
  value: Span;
  onChange: (over: Partial<Span>) => void;
}

/** From when until when: times of the day, or days. */
export function SpanFields({ type, value, onChange }: SpanProps) {
  const field = (name: 'from' | 'to', label: string) => (
    <TextField
      type={type}
      label={label}
      value={value[name] === '24:00' ? '00:00' : value[name]}
      onChange={(event) => onChange({ [name]: event.target.value })}
      slotProps={{ inputLabel: { shrink: true } }}
      sx={{ flex: 1 }}
    />
  );
  return (
    <Stack direction="row" spacing={2}>
      {field('from', type === 'date' ? 'First day' : 'From')}
      {field('to', type === 'date' ? 'Last day' : 'To')}
    </Stack>
  );
}
