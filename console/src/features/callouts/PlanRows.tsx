import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

interface Props<T> {
  title: string;
  /** What it is for, in a sentence. */
  about: string;
  rows: T[];
  /** A row that is begun. */
  fresh: T;
  /** What the button that adds one is called. */
  add: string;
  onChange: (rows: T[]) => void;
  /** The fields of a row. */
  children: (row: T, set: (over: Partial<T>) => void) => ReactNode;
}

/** Rows of a plan, each with fields of its own and a way to take it out. */
export function PlanRows<T extends object>({ title, about, rows, fresh, add, onChange, children }: Props<T>) {
  const set = (place: number, over: Partial<T>) =>
    onChange(rows.map((row, at) => (at === place ? { ...row, ...over } : row)));
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        {title}
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        {about}
      </Typography>
      <Stack spacing={3}>
        {rows.map((row, place) => (
          <Stack key={place} spacing={2} role="group" aria-label={`${title} ${place + 1}`}>
            {children(row, (over) => set(place, over))}
            <Button
              color="error"
              sx={{ alignSelf: 'flex-start' }}
              onClick={() => onChange(rows.filter((_, at) => at !== place))}
            >
              Take it out
            </Button>
          </Stack>
        ))}
        <Button
          variant="outlined"
          sx={{ alignSelf: 'flex-start' }}
          onClick={() => onChange([...rows, fresh])}
        >
          {add}
        </Button>
      </Stack>
    </Paper>
  );
}
