import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** One check of a screen: its name, what it does, and its fields. */
export function CheckRow({ title, says, children }: { title: string; says: string; children: ReactNode }) {
  return (
    <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap', alignItems: 'center' }}>
      <div style={{ width: 250 }}>
        <Typography variant="h3" component="h4">
          {title}
        </Typography>
        <Typography variant="body2" color="textSecondary">
          {says}
        </Typography>
      </div>
      {children}
    </Stack>
  );
}
