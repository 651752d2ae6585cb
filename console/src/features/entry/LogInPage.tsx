import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { Navigate, useNavigate, useSearchParams } from 'react-router';
import { api, setCsrf } from '../../api/client';
import { session, setUpState } from '../../api/queries';
import type { Session } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { EntryFrame } from './EntryFrame';
import { codeWas, PasswordField, SecondFactorField } from './fields';

/** Only addresses of our own, never one of another place. */
const safe = (back: string | null) => (back?.startsWith('/') && !back.startsWith('//') ? back : '/');

export function LogInPage() {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [second, setSecond] = useState('');
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const cache = useQueryClient();
  const { data: setUp } = useQuery(setUpState());
  const logIn = useMutation({
    mutationFn: () => api.post<Session>('/log-in', { name, password, ...(second === '' ? {} : { second }) }),
    onSuccess: async (me) => {
      setCsrf(me.csrf);
      cache.setQueryData(session().queryKey, me);
      await navigate(safe(params.get('back')), { replace: true });
    },
  });
  const code = codeWas(logIn.error);
  if (setUp?.needed) return <Navigate to="/set-up" replace />;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    logIn.mutate();
  };
  return (
    <EntryFrame title="Log in">
      <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 2 }}>
        <TextField
          label="Name"
          value={name}
          onChange={(e) => setName(e.target.value)}
          autoComplete="username"
          autoFocus
          required
        />
        <PasswordField value={password} onChange={setPassword} />
        {(code !== undefined || second !== '') && <SecondFactorField value={second} onChange={setSecond} />}
        {logIn.error && code !== 'missing' && <ProblemAlert error={logIn.error} />}
        <Button type="submit" variant="contained" loading={logIn.isPending}>
          Log in
        </Button>
      </Stack>
    </EntryFrame>
  );
}
