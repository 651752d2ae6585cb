import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { everyone } from '../../api/peopleQueries';
import { part } from '../../api/queries';
import type { MadeInvitation, Person } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { ServiceFrame } from '../../components/ServiceFrame';
import { Loading, ProblemAlert } from '../../components/states';
import { OWN_ZONE } from '../../format/time';
import { InviteDialog } from './InviteDialog';
import { OneTimeDialog } from './OneTimeDialog';

/** All people of the service, for its administrators. */
export function EveryonePage() {
  const { data, error, refetch } = useQuery(everyone());
  const [made, setMade] = useState<{ title: string; made: MadeInvitation }>();
  const [removing, setRemoving] = useState<Person>();
  const [isInviting, setInviting] = useState(false);
  return (
    <ServiceFrame
      title="People of the service"
      width="lg"
      action={
        <Button variant="contained" sx={{ ml: 'auto' }} onClick={() => setInviting(true)}>
          Invite an administrator
        </Button>
      }
    >
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && (
        <TableContainer component={Paper}>
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Name</TableCell>
                <TableCell>Administrator</TableCell>
                <TableCell>Second factor</TableCell>
                <TableCell>Sites</TableCell>
                <TableCell />
              </TableRow>
            </TableHead>
            <TableBody>
              {data.map((person) => (
                <PersonRow
                  key={person.name}
                  person={person}
                  onMade={(address) => setMade({ title: `A new password for ${person.name}`, made: address })}
                  onRemove={() => setRemoving(person)}
                />
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {made && <OneTimeDialog {...made} zone={OWN_ZONE} onClose={() => setMade(undefined)} />}
      {removing && <RemovePerson person={removing} onClose={() => setRemoving(undefined)} />}
      {isInviting && (
        <InviteDialog
          title="Invite an administrator"
          path="/invitations"
          hint="An administrator may do everything on all sites."
          asksRole={false}
          onMade={(address) => {
            setInviting(false);
            setMade({ title: 'For the new administrator', made: address });
          }}
          onClose={() => setInviting(false)}
        />
      )}
    </ServiceFrame>
  );
}

function PersonRow({
  person,
  onMade,
  onRemove,
}: {
  person: Person;
  onMade: (made: MadeInvitation) => void;
  onRemove: () => void;
}) {
  const cache = useQueryClient();
  const path = `/people/${part(person.name)}`;
  const change = useMutation({
    mutationFn: (to: { is_administrator?: boolean; has_second_factor?: boolean }) => api.patch(path, to),
    onSuccess: () => cache.invalidateQueries({ queryKey: everyone().queryKey }),
  });
  const newPassword = useMutation({
    mutationFn: () => api.post<MadeInvitation>(`${path}/new-password`),
    onSuccess: onMade,
  });
  const error = change.error ?? newPassword.error;
  return (
    <TableRow>
      <TableCell sx={{ overflowWrap: 'anywhere' }}>
        {person.name}
        {error && <ProblemAlert error={error} />}
      </TableCell>
      <TableCell>
        {person.is_administrator ? 'yes ' : 'no '}
        <Button
          size="small"
          aria-label={
            person.is_administrator
              ? `${person.name} shall no longer be an administrator`
              : `Make ${person.name} an administrator`
          }
          onClick={() => change.mutate({ is_administrator: !person.is_administrator })}
        >
          {person.is_administrator ? 'No longer' : 'Make one'}
        </Button>
      </TableCell>
      <TableCell>
        {person.has_second_factor ? (
          <Button
            size="small"
            aria-label={`Take the second factor of ${person.name} away`}
            onClick={() => change.mutate({ has_second_factor: false })}
          >
            Take away
          </Button>
        ) : (
          'none'
        )}
      </TableCell>
      <TableCell>{person.sites.map((site) => `${site.code} (${site.role})`).join(', ')}</TableCell>
      <TableCell align="right">
        <Button size="small" loading={newPassword.isPending} onClick={() => newPassword.mutate()}>
          New password
        </Button>
        <Button size="small" color="error" aria-label={`Remove ${person.name}`} onClick={onRemove}>
          Remove
        </Button>
      </TableCell>
    </TableRow>
  );
}

function RemovePerson({ person, onClose }: { person: Person; onClose: () => void }) {
  const cache = useQueryClient();
  const remove = useMutation({
    mutationFn: () => api.delete(`/people/${part(person.name)}`),
    onSuccess: async () => {
      await cache.invalidateQueries({ queryKey: everyone().queryKey });
      onClose();
    },
  });
  return (
    <FormDialog
      title={`Remove ${person.name}?`}
      submit="Remove"
      onSubmit={() => remove.mutate()}
      onClose={onClose}
      isPending={remove.isPending}
      error={remove.error}
    >
      Their log-ins, tokens and roles end at once. What they did stays in the record, and nobody else is given
      their name.
    </FormDialog>
  );
}
