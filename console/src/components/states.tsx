import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import CircularProgress from '@mui/material/CircularProgress';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { toProblem } from '../api/problem';
import { Told } from './Told';

/** What stands where something is still being fetched. */
export function Loading({ height = 240 }: { height?: number | string }) {
  return (
    <Box sx={{ display: 'grid', placeItems: 'center', minHeight: height }}>
      <CircularProgress size={28} aria-label="Loading" />
    </Box>
  );
}

/** What went wrong, what it means, and a button that tries again. */
export function ProblemAlert({ error, onRetry }: { error: unknown; onRetry?: () => void }) {
  const problem = toProblem(error);
  return (
    <Alert
      severity="error"
      sx={{ my: 2 }}
      action={
        onRetry && (
          <Button onClick={onRetry} color="inherit" size="small">
            Try again
          </Button>
        )
      }
    >
      <Told>{problem.message}</Told> <Told>{problem.remedy}</Told>
    </Alert>
  );
}

/** An empty place that teaches the first step. */
export function Empty({
  title,
  children,
  action,
}: {
  title: string;
  children: ReactNode;
  action?: ReactNode;
}) {
  return (
    <Paper sx={{ p: 4, textAlign: 'center', borderStyle: 'dashed' }}>
      <Typography variant="h2" component="p" gutterBottom>
        {title}
      </Typography>
      <Typography color="textSecondary" sx={{ maxWidth: 560, mx: 'auto', mb: action ? 2 : 0 }}>
        {children}
      </Typography>
      {action}
    </Paper>
  );
}
