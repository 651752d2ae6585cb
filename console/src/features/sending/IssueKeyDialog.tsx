import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import FormGroup from '@mui/material/FormGroup';
import FormLabel from '@mui/material/FormLabel';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { Grant, IssuedKey } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { useSite } from '../../components/siteContext';
import { parseLocal } from '../../format/time';

const GRANTS: { grant: Grant; label: string }[] = [
  { grant: 'send', label: 'Send: deliver readings' },
  { grant: 'read', label: 'Read: read back what the site has' },
  { grant: 'command', label: 'Command: give commands to devices' },
];

interface Props {
  path: string;
  onIssued: (key: IssuedKey) => void;
  onClose: () => void;
}

/** What a new key is for, and until when. */
export function IssueKeyDialog({ path, onIssued, onClose }: Props) {
  const site = useSite();
  const [grants, setGrants] = useState<Grant[]>(['send']);
  const [note, setNote] = useState('');
  const [end, setEnd] = useState('');
  const until = end === '' ? undefined : parseLocal(end, site.zone);
  const wrong = end !== '' && until === undefined;
  const issue = useMutation({
    mutationFn: () =>
      api.post<IssuedKey>(path, {
        grants,
        note,
        ...(until === undefined ? {} : { expires_at: new Date(until).toISOString() }),
      }),
    onSuccess: onIssued,
  });
  const toggle = (grant: Grant) =>
    setGrants(grants.includes(grant) ? grants.filter((g) => g !== grant) : [...grants, grant]);
  return (
    <FormDialog
      title="Issue a key"
      submit="Issue it"
      onSubmit={() => issue.mutate()}
      onClose={onClose}
      isPending={issue.isPending}
      error={issue.error}
      disabled={grants.length === 0 || wrong}
    >
      <FormGroup>
        <FormLabel component="legend">What it may be used for</FormLabel>
        {GRANTS.map(({ grant, label }) => (
          <FormControlLabel
            key={grant}
            control={<Checkbox checked={grants.includes(grant)} onChange={() => toggle(grant)} />}
            label={label}
          />
        ))}
      </FormGroup>
      <TextField
        label="Note"
        value={note}
        onChange={(e) => setNote(e.target.value)}
        placeholder="Where it is used"
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField
        label="Ends"
        value={end}
        onChange={(e) => setEnd(e.target.value)}
        error={wrong}
        placeholder="2027-01-01 00:00"
        helperText={wrong ? 'Write it as 2027-01-01 or 2027-01-01 08:00.' : 'Leave empty for no end.'}
        slotProps={{ inputLabel: { shrink: true } }}
      />
    </FormDialog>
  );
}
