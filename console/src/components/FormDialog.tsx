import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Stack from '@mui/material/Stack';
import { useId, type FormEvent, type ReactNode } from 'react';
import { ProblemAlert } from './states';

/** A form in a window of its own: fields, what went wrong, and the two ways out of it. */
export function FormDialog({
  title,
  submit,
  onSubmit,
  onClose,
  isPending,
  error,
  disabled = false,
  cancel = 'Cancel',
  other,
  width = 'xs',
  children,
}: {
  title: string;
  /** What the button that does it is called. */
  submit: string;
  onSubmit: () => void;
  onClose: () => void;
  isPending: boolean;
  error: unknown;
  disabled?: boolean;
  /** What the button that leaves everything as it is is called. */
  cancel?: string;
  /** Buttons for something else than the form's own. */
  other?: ReactNode;
  width?: 'xs' | 'sm';
  children: ReactNode;
}) {
  const id = useId();
  const take = (event: FormEvent) => {
    event.preventDefault();
    // A window in a form is not a part of that form.
    event.stopPropagation();
    if (!disabled && !isPending) onSubmit();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth={width} aria-labelledby={id}>
      {/* What is long moves under the title and above the buttons, which stay in sight. */}
      <form onSubmit={take} style={{ display: 'flex', flexDirection: 'column', minHeight: 0 }}>
        <DialogTitle id={id}>{title}</DialogTitle>
        <DialogContent>
          <Stack spacing={2.5} sx={{ pt: 1 }}>
            {children}
            {error !== null && error !== undefined && <ProblemAlert error={error} />}
          </Stack>
        </DialogContent>
        <DialogActions>
          {other}
          <Button onClick={onClose}>{cancel}</Button>
          <Button type="submit" variant="contained" loading={isPending} disabled={disabled}>
            {submit}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
