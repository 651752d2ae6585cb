import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import { account as accountQuery } from '../../api/peopleQueries';
import type { Account, RecoveryCodes, SecondFactorOffer } from '../../api/schema';
import { CopyText } from '../../components/CopyText';
import { QrCode } from '../../components/QrCode';
import { ProblemAlert } from '../../components/states';
import { PasswordField } from '../entry/fields';

/** Sets the second factor up, or ends it. */
export function SecondFactor({ account }: { account: Account }) {
  const cache = useQueryClient();
  const [password, setPassword] = useState('');
  const [offer, setOffer] = useState<SecondFactorOffer>();
  const [codes, setCodes] = useState<string[]>();
  const isOn = account.second_factor_since !== undefined;
  const reread = () => cache.invalidateQueries({ queryKey: accountQuery().queryKey, exact: true });
  const begin = useMutation({
    mutationFn: () => api.post<SecondFactorOffer>('/account/second-factor', { password }),
    onSuccess: (given) => {
      setPassword('');
      setOffer(given);
    },
  });
  const end = useMutation({
    mutationFn: () => api.post('/account/second-factor/end', { password }),
    onSuccess: () => {
      setPassword('');
      setCodes(undefined);
      return reread();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (isOn) end.mutate();
    else begin.mutate();
  };
  if (codes) return <Codes codes={codes} onDone={() => setCodes(undefined)} />;
  if (offer) {
    return (
      <FirstCode
        offer={offer}
        onBegun={(given) => {
          setOffer(undefined);
          setCodes(given);
          void reread();
        }}
        onCancel={() => setOffer(undefined)}
      />
    );
  }
  return (
    <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 2, maxWidth: 480 }}>
      <Typography color="textSecondary">
        {isOn
          ? `A code from your telephone is asked for at each log-in. ${account.recovery_codes} recovery codes are left.`
          : 'With it, whoever knows your password still needs a code that your telephone shows.'}
      </Typography>
      <PasswordField label="Your password" value={password} onChange={setPassword} />
      {(begin.error ?? end.error) && <ProblemAlert error={begin.error ?? end.error} />}
      <div>
        <Button
          type="submit"
          variant={isOn ? 'outlined' : 'contained'}
          color={isOn ? 'error' : 'primary'}
          loading={begin.isPending || end.isPending}
        >
          {isOn ? 'End the second factor' : 'Set a second factor up'}
        </Button>
      </div>
    </Stack>
  );
}

function FirstCode({
  offer,
  onBegun,
  onCancel,
}: {
  offer: SecondFactorOffer;
  onBegun: (codes: string[]) => void;
  onCancel: () => void;
}) {
  const [code, setCode] = useState('');
  const begin = useMutation({
    mutationFn: () => api.put<RecoveryCodes>('/account/second-factor', { code }),
    onSuccess: ({ codes }) => onBegun(codes),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    begin.mutate();
  };
  return (
    <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 2, maxWidth: 560 }}>
      <Typography>
        Let an app for one-time passwords read this picture, or type the secret into it. Then type the code it
        shows.
      </Typography>
      <QrCode text={offer.address} label="The secret of the second factor as a QR code" />
      <CopyText text={offer.secret} label="the secret" />
      <TextField
        label="The code it shows"
        value={code}
        onChange={(event) => setCode(event.target.value)}
        autoComplete="one-time-code"
        slotProps={{ htmlInput: { inputMode: 'numeric' } }}
        autoFocus
        required
      />
      {begin.error && <ProblemAlert error={begin.error} />}
      <Stack direction="row" spacing={1}>
        <Button type="submit" variant="contained" loading={begin.isPending}>
          Begin
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </Stack>
    </Stack>
  );
}

function Codes({ codes, onDone }: { codes: string[]; onDone: () => void }) {
  return (
    <Stack spacing={2} sx={{ mt: 2, maxWidth: 560 }}>
      <Typography>
        Keep these codes where you find them without your telephone. Each gets you in once in its place. They
        are not shown again.
      </Typography>
      <CopyText text={codes.join('\n')} label="the recovery codes" />
      <div>
        <Button variant="contained" onClick={onDone}>
          I have kept them
        </Button>
      </div>
    </Stack>
  );
}
