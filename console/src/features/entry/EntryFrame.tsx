import Box from '@mui/material/Box';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { Mark } from '../../components/Mark';
import { PageHeading } from '../../components/PageHeading';

/** The card in the middle of the pages before one is logged in. */
export function EntryFrame({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="main" sx={{ minHeight: '100vh', display: 'grid', placeItems: 'center', p: 2 }}>
      <Paper sx={{ p: { xs: 3, sm: 4 }, width: '100%', maxWidth: 440 }}>
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, mb: 3 }}>
          <Mark size={36} />
          <Typography sx={{ fontWeight: 700, fontSize: 18 }}>Key Lantern</Typography>
        </Box>
        <PageHeading gutterBottom>{title}</PageHeading>
        {children}
      </Paper>
    </Box>
  );
}
