import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import Paper from '@mui/material/Paper';
import Switch from '@mui/material/Switch';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { contacts, device as deviceQuery, devicePath } from '../../api/queries';
import type { Device } from '../../api/schema';
import { ContactLines } from '../../components/ContactLines';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { WhyButton } from '../why/WhyButton';

/** Contacts shown at first. */
const FIRST = 20;

/** Contacts that tell enough for a glance. */
const IN_SHORT = 3;

/** The last attempts of a device to deliver. */
export function ContactsInShort({ device }: { device: string }) {
  const site = useSite();
  const { data, error, refetch } = useQuery(contacts(site.code, device));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={120} />;
  return (
    <Paper sx={{ p: 2 }}>
      {data.length === 0 ? (
        <NoContacts />
      ) : (
        <ContactLines contacts={data.slice(0, IN_SHORT)} zone={site.zone} />
      )}
      <WhyButton device={device} sx={{ mt: 1 }}>
        Why is nothing here?
      </WhyButton>
    </Paper>
  );
}

function NoContacts() {
  return (
    <Typography color="textSecondary">
      No attempt to deliver yet. Each one appears here within a second, refused ones with what to change. What
      comes with an unknown key stands under Arrivals.
    </Typography>
  );
}

/** The attempts of a device to deliver, as they happen. */
export function ContactsSection({ device }: { device: string }) {
  const site = useSite();
  const [all, setAll] = useState(false);
  const { data, error, refetch } = useQuery(contacts(site.code, device));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={120} />;
  return (
    <Paper sx={{ p: 2 }}>
      {data.length === 0 ? (
        <NoContacts />
      ) : (
        <ContactLines contacts={all ? data : data.slice(0, FIRST)} zone={site.zone} />
      )}
      {data.length > FIRST && (
        <Button onClick={() => setAll(!all)} sx={{ mt: 1 }}>
          {all ? 'Show fewer' : `Show the last ${data.length}`}
        </Button>
      )}
      <WhyButton device={device} sx={{ mt: 1 }}>
        Why is nothing here?
      </WhyButton>
      <KeepPayload code={device} />
    </Paper>
  );
}

function KeepPayload({ code }: { code: string }) {
  const site = useSite();
  const cache = useQueryClient();
  const query = deviceQuery(site.code, code);
  const { data } = useQuery(query);
  const keep = useMutation({
    mutationFn: (keeps_payload: boolean) => api.patch<Device>(devicePath(site.code, code), { keeps_payload }),
    onSuccess: (changed) => cache.setQueryData(query.queryKey, changed),
  });
  return (
    <>
      {keep.error && <ProblemAlert error={keep.error} />}
      <FormControlLabel
        sx={{ display: 'flex', mt: 1 }}
        control={
          <Switch checked={data?.keeps_payload ?? false} onChange={(_, checked) => keep.mutate(checked)} />
        }
        label="Keep the first 2 KiB of each payload in this log"
      />
    </>
  );
}
