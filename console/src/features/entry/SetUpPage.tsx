import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { Navigate, useNavigate, useSearchParams } from 'react-router';
import { api, setCsrf } from '../../api/client';
import { session, setUpState } from '../../api/queries';
import type { Session } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { EntryFrame } from './EntryFrame';
import { NewPasswordField } from './fields';

/** The first page of all: makes the first person with the code the service printed. */
export function SetUpPage() {
  const [params] = useSearchParams();
  const [code, setCode] = useState(params.get('code') ?? '');
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const navigate = useNavigate();
  const cache = useQueryClient();
  const { data: state } = useQuery(setUpState());
  const setUp = useMutation({
    mutationFn: () => api.post<Session>('/set-up', { code, name, password }),
    onSuccess: async (me) => {
      setCsrf(me.csrf);
      cache.setQueryData(session().queryKey, me);
      await navigate('/add-site', { replace: true });
      cache.setQueryData(setUpState().queryKey, { needed: false });
    },
  });
  if (state?.needed === false && !setUp.isSuccess) return <Navigate to="/log-in" replace />;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setUp.mutate();
  };
  return (
    <EntryFrame title="Set up the first person">
      <Typography color="textSecondary">
        You become an administrator: you may do everything here and let others in.
      </Typography>
      <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 3 }}>
        <TextField
          label="Set-up code"
          value={code}
          onChange={(e) => setCode(e.target.value)}
          required
          helperText="The service printed it where it was started."
        />
        <TextField
          label="Your name"
          value={name}
          onChange={(e) => setName(e.target.value)}
          autoComplete="username"
          autoFocus
          required
        />
        <NewPasswordField value={password} onChange={setPassword} />
        {setUp.error && <ProblemAlert error={setUp.error} />}
        <Button type="submit" variant="contained" loading={setUp.isPending}>
          Make my account
        </Button>
      </Stack>
    </EntryFrame>
  );
}
