import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Paper from '@mui/material/Paper';
import Select from '@mui/material/Select';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { invitations, members } from '../../api/peopleQueries';
import { part } from '../../api/queries';
import type { MadeInvitation, Member, Role } from '../../api/schema';
import { useMay } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { useSite } from '../../components/siteContext';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { dateTime } from '../../format/time';
import { InviteDialog } from './InviteDialog';
import { OneTimeDialog } from './OneTimeDialog';
import { ROLES, roleLabel } from './roles';

/** The people of a site, and who is invited to it. */
export function PeoplePage() {
  const site = useSite();
  const may = useMay('manage');
  const { data, error, refetch } = useQuery(members(site.code));
  const [isInviting, setInviting] = useState(false);
  const [made, setMade] = useState<MadeInvitation>();
  return (
    <>
      <PageHeading gutterBottom>People of {site.name}</PageHeading>
      <Stack spacing={3}>
        <Paper sx={{ p: 3 }}>
          <Stack
            direction="row"
            sx={{ alignItems: 'center', justifyContent: 'space-between', gap: 2, mb: 1 }}
          >
            <Typography variant="h2">Who has a role here</Typography>
            {may && (
              <Button variant="contained" onClick={() => setInviting(true)}>
                Invite somebody
              </Button>
            )}
          </Stack>
          {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
          {!data && !error && <Loading height={120} />}
          {data?.length === 0 && (
            <Empty title="Nobody yet">
              Administrators of the service may do everything here without a role. Others come by invitation.
            </Empty>
          )}
          {data && data.length > 0 && <Members members={data} may={may} />}
        </Paper>
        {may && <Invitations />}
      </Stack>
      {isInviting && (
        <InviteDialog
          title="Invite somebody"
          path={`/sites/${part(site.code)}/invitations`}
          hint="In your words, so that you know the invitation again. They choose their own name."
          asksRole
          onMade={(invitation) => {
            setInviting(false);
            setMade(invitation);
          }}
          onClose={() => setInviting(false)}
        />
      )}
      {made && (
        <OneTimeDialog
          title={`For ${made.invitation?.for_whom ?? 'them'}`}
          made={made}
          zone={site.zone}
          onClose={() => setMade(undefined)}
        />
      )}
    </>
  );
}

function Members({ members: list, may }: { members: Member[]; may: boolean }) {
  const site = useSite();
  const cache = useQueryClient();
  const path = (name: string) => `/sites/${part(site.code)}/people/${part(name)}`;
  const done = () => cache.invalidateQueries({ queryKey: ['members', site.code] });
  const change = useMutation({
    mutationFn: ({ name, role }: { name: string; role: Role }) => api.put(path(name), { role }),
    onSuccess: done,
  });
  const remove = useMutation({ mutationFn: (name: string) => api.delete(path(name)), onSuccess: done });
  const error = change.error ?? remove.error;
  return (
    <>
      {error && <ProblemAlert error={error} />}
      <TableContainer>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Role</TableCell>
              <TableCell>Since</TableCell>
              {may && <TableCell />}
            </TableRow>
          </TableHead>
          <TableBody>
            {list.map(({ name, role, since }) => (
              <TableRow key={name}>
                <TableCell sx={{ overflowWrap: 'anywhere' }}>{name}</TableCell>
                <TableCell>
                  {may ? (
                    <Select
                      size="small"
                      value={role}
                      onChange={(event) => change.mutate({ name, role: event.target.value })}
                      inputProps={{ 'aria-label': `Role of ${name}` }}
                    >
                      {ROLES.map((one) => (
                        <MenuItem key={one.role} value={one.role}>
                          {one.label}
                        </MenuItem>
                      ))}
                    </Select>
                  ) : (
                    roleLabel(role)
                  )}
                </TableCell>
                <TableCell>{dateTime(since, site.zone)}</TableCell>
                {may && (
                  <TableCell align="right">
                    <Button
                      size="small"
                      color="error"
                      aria-label={`Take the role of ${name} away`}
                      loading={remove.isPending && remove.variables === name}
                      onClick={() => remove.mutate(name)}
                    >
                      Take away
                    </Button>
                  </TableCell>
                )}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </>
  );
}

function Invitations() {
  const site = useSite();
  const cache = useQueryClient();
  const { data = [], error } = useQuery(invitations(site.code));
  const withdraw = useMutation({
    mutationFn: (id: number) => api.delete(`/sites/${part(site.code)}/invitations/${id}`),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['invitations', site.code] }),
  });
  if (error) return <ProblemAlert error={error} />;
  if (data.length === 0) return null;
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        Invitations that wait
      </Typography>
      {withdraw.error && <ProblemAlert error={withdraw.error} />}
      <TableContainer>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>For</TableCell>
              <TableCell>Role</TableCell>
              <TableCell>Invited by</TableCell>
              <TableCell>Open until</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((one) => (
              <TableRow key={one.id}>
                <TableCell sx={{ overflowWrap: 'anywhere' }}>{one.for_whom}</TableCell>
                <TableCell>{one.role && roleLabel(one.role)}</TableCell>
                <TableCell>{one.invited_by}</TableCell>
                <TableCell>{dateTime(one.expires_at, site.zone)}</TableCell>
                <TableCell align="right">
                  <Button
                    size="small"
                    aria-label={`Withdraw the invitation for ${one.for_whom}`}
                    onClick={() => withdraw.mutate(one.id)}
                  >
                    Withdraw
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Paper>
  );
}
