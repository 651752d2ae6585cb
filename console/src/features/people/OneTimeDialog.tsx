import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { MadeInvitation } from '../../api/schema';
import { CopyText } from '../../components/CopyText';
import { QrCode } from '../../components/QrCode';
import { dateTime } from '../../format/time';

/** A one-time address, which is shown this once. */
export function OneTimeDialog({
  title,
  made,
  zone,
  onClose,
}: {
  title: string;
  made: MadeInvitation;
  zone: string;
  onClose: () => void;
}) {
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="one-time">
      <DialogTitle id="one-time">{title}</DialogTitle>
      <DialogContent>
        <Stack spacing={2}>
          <Typography>
            Send this address to them, or let them read the picture with their telephone. It works once, until{' '}
            {dateTime(made.expires_at, zone)}, and is not shown again.
          </Typography>
          <CopyText text={made.address} label="the one-time address" />
          <QrCode text={made.address} label="The one-time address as a QR code" />
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} variant="contained">
          Done
        </Button>
      </DialogActions>
    </Dialog>
  );
}
