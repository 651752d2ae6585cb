import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Snackbar from '@mui/material/Snackbar';
import { useLocation, useNavigate } from 'react-router';
import { nameOf, useRestore, type Restorable } from '../api/useRestore';
import { useSite } from './siteContext';
import { ProblemAlert } from './states';

/** After something was removed, on the page that led to: that it is gone, and how it comes back. */
export function RemovedNotice() {
  const location = useLocation();
  const removed = (location.state as { removed?: Restorable } | null)?.removed;
  return removed === undefined ? null : <Notice key={location.key} removed={removed} />;
}

function Notice({ removed }: { removed: Restorable }) {
  const site = useSite();
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  const restore = useRestore();
  const close = () => void navigate(pathname + search, { replace: true, state: null });
  const back = async () => {
    await restore.mutateAsync(removed);
    if (removed.signal !== undefined) close();
    else await navigate(`/sites/${site.code}/devices/${removed.device}`, { replace: true });
  };
  return (
    <Snackbar open anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }} sx={{ mb: { xs: 7, md: 0 } }}>
      {restore.error ? (
        <div>
          <ProblemAlert error={restore.error} />
        </div>
      ) : (
        <Alert
          severity="info"
          variant="outlined"
          onClose={close}
          sx={{ bgcolor: 'background.paper' }}
          action={
            <>
              <Button
                size="small"
                loading={restore.isPending}
                onClick={() => void back().catch(() => undefined)}
              >
                Bring it back
              </Button>
              <Button size="small" color="inherit" onClick={close}>
                Close
              </Button>
            </>
          }
        >
          {nameOf(removed)} is removed. It is kept for a day.
        </Alert>
      )}
    </Snackbar>
  );
}
