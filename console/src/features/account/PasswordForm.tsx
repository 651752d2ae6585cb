import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import { heldSessions } from '../../api/peopleQueries';
import { ProblemAlert } from '../../components/states';
import { NewPasswordField, PasswordField } from '../entry/fields';

/** Changes one's password. */
export function PasswordForm() {
  const cache = useQueryClient();
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const change = useMutation({
    mutationFn: () => api.put('/account/password', { old, new: fresh }),
    onSuccess: () => {
      setOld('');
      setFresh('');
      return cache.invalidateQueries({ queryKey: heldSessions().queryKey });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    change.mutate();
  };
  return (
    <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 2, maxWidth: 480 }}>
      <PasswordField label="Present password" value={old} onChange={setOld} />
      <NewPasswordField
        label="New password"
        value={fresh}
        onChange={setFresh}
        hint="At least 10 characters. All your other log-ins and tokens end."
      />
      {change.error && <ProblemAlert error={change.error} />}
      {change.isSuccess && <Alert severity="success">The password is changed.</Alert>}
      <div>
        <Button type="submit" variant="contained" loading={change.isPending}>
          Change the password
        </Button>
      </div>
    </Stack>
  );
}
