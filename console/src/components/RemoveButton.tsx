import Button from '@mui/material/Button';

/** Takes away what a form is about; it stands apart from the form's own buttons. */
export function RemoveButton({ isPending, onRemove }: { isPending: boolean; onRemove: () => void }) {
  return (
    <Button color="error" loading={isPending} onClick={onRemove} sx={{ mr: 'auto' }}>
      Remove it
    </Button>
  );
}
