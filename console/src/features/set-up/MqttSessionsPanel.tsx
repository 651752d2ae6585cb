import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
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
import { mqttSessions, part, sitePath } from '../../api/queries';
import type { MqttSession } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';

/** Columns that a phone has no room for. */
const wide = { display: { xs: 'none', sm: 'table-cell' } };

/** Who is connected by MQTT, and what waits for whom. */
export function MqttSessionsPanel() {
  const site = useSite();
  const cache = useQueryClient();
  const [pages, setPages] = useState<string[]>([]);
  const { data, error } = useQuery(mqttSessions(site.code, pages.at(-1)));
  const end = useMutation({
    mutationFn: (client: string) => api.delete(`${sitePath(site.code)}/mqtt-sessions/${part(client)}`),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['mqtt-sessions', site.code] }),
  });
  const problem = error ?? end.error;
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        MQTT sessions
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 1, maxWidth: 760 }}>
        A client that asks for it finds what was published while it was away. When its session is ended, what
        waits is forgotten; a client that is connected has to connect again.
      </Typography>
      {problem && <ProblemAlert error={problem} />}
      {data?.items.length === 0 && <Typography>No client has a session.</Typography>}
      {data && data.items.length > 0 && (
        <TableContainer>
          <Table size="small" sx={{ '& td, & th': { px: { xs: 1, sm: 2 } } }}>
            <TableHead>
              <TableRow>
                <TableCell>Client</TableCell>
                <TableCell sx={wide}>Of</TableCell>
                <TableCell>State</TableCell>
                <TableCell align="right" sx={wide}>
                  Subscriptions
                </TableCell>
                <TableCell align="right">Waiting</TableCell>
                <TableCell />
              </TableRow>
            </TableHead>
            <TableBody>
              {data.items.map((session) => (
                <TableRow key={session.client}>
                  <TableCell sx={{ ...mono, overflowWrap: 'anywhere', minWidth: '10ch' }}>
                    {session.client}
                  </TableCell>
                  <TableCell sx={wide}>{holder(session)}</TableCell>
                  <TableCell>{state(session, site.zone)}</TableCell>
                  <TableCell align="right" sx={wide}>
                    {session.subscriptions}
                  </TableCell>
                  <TableCell align="right">{waiting(session)}</TableCell>
                  <TableCell align="right">
                    <Button
                      size="small"
                      color="error"
                      disabled={end.isPending}
                      aria-label={`End the session of ${session.client}`}
                      onClick={() => end.mutate(session.client)}
                    >
                      End
                    </Button>
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {pages.length > 0 && <Button onClick={() => setPages((old) => old.slice(0, -1))}>Previous</Button>}
      {data?.next !== undefined && (
        <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>Next</Button>
      )}
    </Paper>
  );
}

function holder(session: MqttSession): string {
  return session.device ?? (session.key === undefined ? 'not known' : `key ${session.key} of the site`);
}

function state(session: MqttSession, zone: string): string {
  if (session.connected) return 'connected';
  return session.ends_at === undefined ? 'away' : `away, ends ${dateTime(session.ends_at, zone)}`;
}

function waiting(session: MqttSession): string {
  const given = session.given_up === 0 ? '' : `, ${session.given_up} given up`;
  return `${session.waiting}${given}`;
}
