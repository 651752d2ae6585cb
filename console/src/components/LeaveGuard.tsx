import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogContentText from '@mui/material/DialogContentText';
import DialogTitle from '@mui/material/DialogTitle';
import { useEffect } from 'react';
import { useBlocker } from 'react-router';

/** Asks before a page is left on which something is not saved. */
export function LeaveGuard({ when }: { when: boolean }) {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) => when && currentLocation.pathname !== nextLocation.pathname,
  );
  useEffect(() => {
    if (!when) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [when]);
  if (blocker.state !== 'blocked') return null;
  return (
    <Dialog open onClose={() => blocker.reset()} aria-labelledby="leave-title">
      <DialogTitle id="leave-title">Leave without saving?</DialogTitle>
      <DialogContent>
        <DialogContentText>What was changed on this page is not saved and will be lost.</DialogContentText>
      </DialogContent>
      <DialogActions>
        <Button onClick={() => blocker.reset()} autoFocus>
          Stay
        </Button>
        <Button color="error" onClick={() => blocker.proceed()}>
          Leave
        </Button>
      </DialogActions>
    </Dialog>
  );
}
