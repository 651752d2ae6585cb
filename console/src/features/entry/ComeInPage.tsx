import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { api, setCsrf } from '../../api/client';
import { session } from '../../api/queries';
import type { Invited, Session } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { roleLabel } from '../people/roles';
import { EntryFrame } from './EntryFrame';
import { codeWas, NewPasswordField, SecondFactorField } from './fields';

/** Where a one-time address leads: to come in, or to choose a new password. */
export function ComeInPage() {
  const secret = useLocation().hash.slice(1);
  const { data: invited, error } = useQuery({
    queryKey: ['invited', secret],
    queryFn: () => api.post<Invited>('/invited', { secret }),
    retry: false,
    staleTime: Infinity,
  });
  const { data: me } = useQuery(session());
  if (error) {
    return (
      <EntryFrame title="This address does not lead in">
        <ProblemAlert error={error} />
        <Button href="/">To the start</Button>
      </EntryFrame>
    );
  }
  if (!invited || me === undefined) return <Loading height="100vh" />;
  if (invited.person !== undefined) return <NewPassword secret={secret} person={invited.person} />;
  return me ? (
    <Accept secret={secret} invited={invited} name={me.person} />
  ) : (
    <ComeIn secret={secret} invited={invited} />
  );
}

/** What the address gives, in a sentence. */
function Given({ invited }: { invited: Invited }) {
  const what = invited.is_administrator
    ? 'as administrator of this service'
    : `to ${invited.site ?? 'a site'} as ${invited.role ? roleLabel(invited.role).toLowerCase() : 'viewer'}`;
  return (
    <Typography color="textSecondary">
      {invited.invited_by} invites you {what}.
    </Typography>
  );
}

function useComeIn(body: () => object) {
  const navigate = useNavigate();
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => api.post<Session>('/come-in', body()),
    onSuccess: async (me) => {
      setCsrf(me.csrf);
      cache.clear();
      cache.setQueryData(session().queryKey, me);
      await navigate('/', { replace: true });
    },
  });
}

function ComeIn({ secret, invited }: { secret: string; invited: Invited }) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const comeIn = useComeIn(() => ({ secret, name, password }));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    comeIn.mutate();
  };
  return (
    <EntryFrame title="Come in">
      <Given invited={invited} />
      <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 3 }}>
        <TextField
          label="Your name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          autoComplete="username"
          helperText="You log in with it, and what you do is recorded under it."
          autoFocus
          required
        />
        <NewPasswordField value={password} onChange={setPassword} />
        {comeIn.error && <ProblemAlert error={comeIn.error} />}
        <Button type="submit" variant="contained" loading={comeIn.isPending}>
          Come in
        </Button>
      </Stack>
      <Typography sx={{ mt: 2 }} color="textSecondary">
        You have an account here already? <a href="/log-in">Log in</a>, then open the address again.
      </Typography>
    </EntryFrame>
  );
}

/** For somebody who is logged in already. */
function Accept({ secret, invited, name }: { secret: string; invited: Invited; name: string }) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const accept = useMutation({
    mutationFn: () => api.post('/accept', { secret }),
    onSuccess: async () => {
      cache.clear();
      await navigate('/', { replace: true });
    },
  });
  return (
    <EntryFrame title="Accept">
      <Given invited={invited} />
      <Stack spacing={2} sx={{ mt: 3 }}>
        <Typography>You are logged in as {name}.</Typography>
        {accept.error && <ProblemAlert error={accept.error} />}
        <Button variant="contained" loading={accept.isPending} onClick={() => accept.mutate()}>
          Accept as {name}
        </Button>
      </Stack>
    </EntryFrame>
  );
}

function NewPassword({ secret, person }: { secret: string; person: string }) {
  const [password, setPassword] = useState('');
  const [second, setSecond] = useState('');
  const renew = useComeIn(() => ({ secret, password, ...(second === '' ? {} : { second }) }));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    renew.mutate();
  };
  return (
    <EntryFrame title="A new password">
      <Typography color="textSecondary">
        For {person}. All your other log-ins and tokens end with it.
      </Typography>
      <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 3 }}>
        <NewPasswordField label="New password" value={password} onChange={setPassword} autoFocus />
        {(codeWas(renew.error) !== undefined || second !== '') && (
          <SecondFactorField value={second} onChange={setSecond} />
        )}
        {renew.error && <ProblemAlert error={renew.error} />}
        <Button type="submit" variant="contained" loading={renew.isPending}>
          Set the password
        </Button>
      </Stack>
    </EntryFrame>
  );
}
