import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { heldSessions } from '../../api/peopleQueries';
import type { Account, HeldSession, MadeToken, Role } from '../../api/schema';
import { CopyText } from '../../components/CopyText';
import { FormDialog } from '../../components/FormDialog';
import { Loading, ProblemAlert } from '../../components/states';
import { dateTime, OWN_ZONE } from '../../format/time';
import { ROLES, roleLabel } from '../people/roles';

/** Where one is logged in, and the tokens of one's programs. */
export function Sessions({ account }: { account: Account }) {
  const cache = useQueryClient();
  const { data, error } = useQuery(heldSessions());
  const [isMaking, setMaking] = useState(false);
  const [made, setMade] = useState<MadeToken>();
  const zone = account.zone ?? OWN_ZONE;
  const reread = () => cache.invalidateQueries({ queryKey: heldSessions().queryKey });
  const end = useMutation({
    mutationFn: (id: number) => api.delete(`/account/sessions/${id}`),
    onSuccess: reread,
  });
  if (error) return <ProblemAlert error={error} />;
  if (!data) return <Loading height={120} />;
  return (
    <Stack spacing={2}>
      {end.error && <ProblemAlert error={end.error} />}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>What</TableCell>
              <TableCell>Last used</TableCell>
              <TableCell>From</TableCell>
              <TableCell>Ends</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((session) => (
              <TableRow key={session.id}>
                <TableCell sx={{ overflowWrap: 'anywhere' }}>
                  <What session={session} />
                </TableCell>
                <TableCell>
                  {session.last_used_at === undefined ? 'never' : dateTime(session.last_used_at, zone)}
                </TableCell>
                <TableCell>{session.last_from}</TableCell>
                <TableCell>{dateTime(session.expires_at, zone)}</TableCell>
                <TableCell align="right">
                  {!session.is_this && (
                    <Button
                      size="small"
                      color="error"
                      aria-label={`End log-in ${session.id}`}
                      onClick={() => end.mutate(session.id)}
                    >
                      End
                    </Button>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      {made && (
        <Stack spacing={1}>
          <Typography>The token of {made.session.name}. It is shown this once.</Typography>
          <CopyText text={made.token} label="the token" />
        </Stack>
      )}
      <div>
        <Button variant="outlined" onClick={() => setMaking(true)}>
          Make a token for a program
        </Button>
      </div>
      {isMaking && (
        <TokenDialog
          account={account}
          onMade={(token) => {
            setMaking(false);
            setMade(token);
            void reread();
          }}
          onClose={() => setMaking(false)}
        />
      )}
    </Stack>
  );
}

function What({ session }: { session: HeldSession }) {
  const held = [session.at_most && `at most ${session.at_most}`, session.site && `only ${session.site}`];
  const bounds = held.filter(Boolean).join(', ');
  return (
    <>
      {session.kind === 'browser' ? 'Browser' : 'Token'} {session.name}
      {session.is_this && <b> (this one)</b>}
      {bounds !== '' && <Typography color="textSecondary">{bounds}</Typography>}
    </>
  );
}

/** A choice that stands for nothing in particular has its words too. */
const EMPTY_IS_SHOWN = { select: { displayEmpty: true }, inputLabel: { shrink: true } };

function TokenDialog({
  account,
  onMade,
  onClose,
}: {
  account: Account;
  onMade: (made: MadeToken) => void;
  onClose: () => void;
}) {
  const [name, setName] = useState('');
  const [atMost, setAtMost] = useState<Role | ''>('viewer');
  const [site, setSite] = useState('');
  const [days, setDays] = useState('365');
  const make = useMutation({
    mutationFn: () =>
      api.post<MadeToken>('/account/tokens', {
        name,
        days: Number(days),
        ...(atMost === '' ? {} : { at_most: atMost }),
        ...(site === '' ? {} : { site }),
      }),
    onSuccess: onMade,
  });
  return (
    <FormDialog
      title="A token for a program"
      submit="Make the token"
      onSubmit={() => make.mutate()}
      onClose={onClose}
      isPending={make.isPending}
      error={make.error}
      disabled={name.trim() === ''}
    >
      <TextField
        label="What it is for"
        value={name}
        onChange={(event) => setName(event.target.value)}
        autoFocus
        required
      />
      <TextField
        select
        label="It lets you be"
        value={atMost}
        onChange={(event) => setAtMost(event.target.value as Role | '')}
        slotProps={EMPTY_IS_SHOWN}
      >
        {ROLES.map((one) => (
          <MenuItem key={one.role} value={one.role}>
            at most {roleLabel(one.role).toLowerCase()}: {one.may}
          </MenuItem>
        ))}
        <MenuItem value="">all that you are</MenuItem>
      </TextField>
      {account.sites.length > 0 && (
        <TextField
          select
          label="It opens"
          value={site}
          onChange={(event) => setSite(event.target.value)}
          slotProps={EMPTY_IS_SHOWN}
        >
          <MenuItem value="">all your sites</MenuItem>
          {account.sites.map((one) => (
            <MenuItem key={one.code} value={one.code}>
              {one.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <TextField
        label="Days until it ends"
        value={days}
        onChange={(event) => setDays(event.target.value.replace(/\D/g, ''))}
        slotProps={{ htmlInput: { inputMode: 'numeric' } }}
        required
      />
    </FormDialog>
  );
}
