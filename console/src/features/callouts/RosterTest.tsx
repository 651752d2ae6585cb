import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { rosterPath } from '../../api/calloutQueries';
import { api } from '../../api/client';
import type { CalloutHistory, SiteRoster } from '../../api/schema';
import { May } from '../../components/may';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { CalleesField } from './CalleesField';
import { Message } from './Message';

/** Who is called now, what is in the way, and a message to try it. */
export function RosterTest({ code, roster }: { code: string; roster: SiteRoster }) {
  const site = useSite();
  const cache = useQueryClient();
  const [to, setTo] = useState<string[]>([]);
  const test = useMutation({
    mutationFn: (who: string) =>
      api.post<CalloutHistory[]>(`${rosterPath(site.code, code)}/test`, { to: who }),
    onSettled: () => cache.invalidateQueries({ queryKey: ['alarms', site.code, 'callouts'] }),
  });
  const [who] = to;
  return (
    <Stack spacing={2} sx={{ maxWidth: 860, mb: 3 }}>
      <Typography sx={{ overflowWrap: 'anywhere' }}>
        {roster.on_duty.length === 0
          ? 'Nobody is called now.'
          : `Called now: ${roster.on_duty.join(', then ')}.`}
      </Typography>
      {roster.troubles.map((trouble) => (
        <Alert key={trouble} severity="warning">
          {trouble}
        </Alert>
      ))}
      <May right="manage">
        <Paper sx={{ p: 3 }}>
          <Typography variant="h2" gutterBottom>
            Try it
          </Typography>
          <Stack spacing={2}>
            <CalleesField
              label="Send a message to"
              value={to}
              onChange={(chosen) => setTo(chosen.slice(-1))}
              helperText="It says that it is a test, and what the server answers is shown here."
            />
            <Button
              variant="outlined"
              sx={{ alignSelf: 'flex-start' }}
              disabled={who === undefined}
              loading={test.isPending}
              onClick={() => who !== undefined && test.mutate(who)}
            >
              Send it
            </Button>
            {test.error && <ProblemAlert error={test.error} />}
            {test.data?.map((message) => (
              <Message key={message.callout.id} message={message} />
            ))}
          </Stack>
        </Paper>
      </May>
    </Stack>
  );
}
