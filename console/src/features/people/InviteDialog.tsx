import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { MadeInvitation, Role } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { RoleField } from './RoleField';

/** Invites somebody: to a site with a role, or as administrator. */
export function InviteDialog({
  title,
  path,
  hint,
  asksRole,
  onMade,
  onClose,
}: {
  title: string;
  /** Where invitations are made. */
  path: string;
  hint: string;
  /** Whether they are to have a role. */
  asksRole: boolean;
  onMade: (made: MadeInvitation) => void;
  onClose: () => void;
}) {
  const cache = useQueryClient();
  const [forWhom, setForWhom] = useState('');
  const [role, setRole] = useState<Role>('viewer');
  const invite = useMutation({
    mutationFn: () =>
      api.post<MadeInvitation>(path, { for_whom: forWhom, ...(asksRole ? { role } : {}), days: 7 }),
    onSuccess: async (made) => {
      await cache.invalidateQueries({ queryKey: ['invitations'] });
      onMade(made);
    },
  });
  return (
    <FormDialog
      title={title}
      submit="Make the address"
      onSubmit={() => invite.mutate()}
      onClose={onClose}
      isPending={invite.isPending}
      error={invite.error}
      disabled={forWhom.trim() === ''}
    >
      <TextField
        label="Who it is for"
        value={forWhom}
        onChange={(event) => setForWhom(event.target.value)}
        helperText={hint}
        autoFocus
        required
      />
      {asksRole && <RoleField value={role} onChange={setRole} />}
    </FormDialog>
  );
}
