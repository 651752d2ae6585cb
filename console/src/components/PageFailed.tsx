import Button from '@mui/material/Button';
import Container from '@mui/material/Container';
import { useRouteError } from 'react-router';
import { ProblemAlert } from './states';

/** Shown instead of a page that failed. */
export function PageFailed() {
  const error = useRouteError();
  return (
    <Container maxWidth="sm" sx={{ py: 6 }}>
      <ProblemAlert error={error} />
      <Button variant="contained" onClick={() => window.location.reload()}>
        Reload the page
      </Button>
    </Container>
  );
}
