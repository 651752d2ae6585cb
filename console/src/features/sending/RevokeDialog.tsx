import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogContentText from '@mui/material/DialogContentText';
import DialogTitle from '@mui/material/DialogTitle';
import { Age } from '../../components/Age';
import { useSite } from '../../components/siteContext';

/** Asks before a key opens nothing any more. */
export function RevokeDialog({
  hint,
  lastUsedAt,
  onRevoke,
  onClose,
}: {
  hint: string;
  lastUsedAt: string | undefined;
  onRevoke: () => void;
  onClose: () => void;
}) {
  const { zone } = useSite();
  return (
    <Dialog open onClose={onClose} aria-labelledby="revoke-title">
      <DialogTitle id="revoke-title">Revoke the key …{hint}?</DialogTitle>
      <DialogContent>
        <DialogContentText>
          From now on whatever sends with it is refused, and it cannot be taken back. It was{' '}
          {lastUsedAt === undefined ? (
            'never used.'
          ) : (
            <>
              last used <Age at={lastUsedAt} zone={zone} />. To change a sender without losing readings,
              replace the key instead: both are taken for a while.
            </>
          )}
        </DialogContentText>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} autoFocus>
          Keep it
        </Button>
        <Button color="error" variant="contained" onClick={onRevoke}>
          Revoke it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
