import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
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
import { api } from '../../api/client';
import { devicePath, keys } from '../../api/queries';
import type { DeviceNow, IssuedKey, Key } from '../../api/types';
import { Age } from '../../components/Age';
import { CopyText } from '../../components/CopyText';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { curlLine } from '../set-up/curl';

/** How this device sends: its keys, and a line to try one. */
export function SendingSection({ device }: { device: DeviceNow }) {
  const site = useSite();
  const cache = useQueryClient();
  const query = keys(site.code, device.device);
  const { data = [], error } = useQuery(query);
  const path = `${devicePath(site.code, device.device)}/keys`;
  const refresh = () => cache.invalidateQueries({ queryKey: query.queryKey });
  const issue = useMutation({ mutationFn: () => api.post<IssuedKey>(path, {}), onSuccess: refresh });
  const revoke = useMutation({
    mutationFn: (id: number) => api.delete<Key>(`${path}/${id}`),
    onSuccess: refresh,
  });
  const signals = device.signals.map((signal) => ({ code: signal.signal, type: signal.type }));
  const problem = error ?? issue.error ?? revoke.error;
  return (
    <Paper sx={{ p: 2 }}>
      {problem && <ProblemAlert error={problem} />}
      {issue.data ? (
        <Box sx={{ mb: 2 }}>
          <Alert severity="warning" sx={{ mb: 2 }}>
            The key is shown only now. Copy it into the sender; older keys work until they are revoked.
          </Alert>
          <CopyText text={issue.data.key} label="key" id="issued-key" />
          <Typography sx={{ mt: 2, mb: 1 }}>Try it from a terminal:</Typography>
          <CopyText
            text={curlLine(window.location.origin, issue.data.key, signals)}
            label="curl line"
            id="curl-line"
          />
        </Box>
      ) : (
        <Typography color="textSecondary" sx={{ mb: 1 }}>
          Readings go to{' '}
          <Box component="span" sx={mono}>
            {window.location.origin}/in
          </Box>{' '}
          with one of these keys. A new key is shown once, with a line to try it.
        </Typography>
      )}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Key</TableCell>
              <TableCell>Note</TableCell>
              <TableCell>Issued</TableCell>
              <TableCell>Last used</TableCell>
              <TableCell>State</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((key) => (
              <TableRow key={key.id}>
                <TableCell sx={mono}>…{key.hint}</TableCell>
                <TableCell>{key.note}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(key.created_at, site.zone)}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Age at={key.last_used_at} zone={site.zone} />
                </TableCell>
                <TableCell>
                  {key.revoked_at ? `revoked ${dateTime(key.revoked_at, site.zone)}` : 'in use'}
                </TableCell>
                <TableCell align="right">
                  {!key.revoked_at && (
                    <Button
                      size="small"
                      color="error"
                      onClick={() => revoke.mutate(key.id)}
                      aria-label={`Revoke key ending in ${key.hint}`}
                    >
                      Revoke
                    </Button>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <Box sx={{ mt: 2 }}>
        <Button variant="outlined" onClick={() => issue.mutate()} loading={issue.isPending}>
          Issue a key
        </Button>
      </Box>
    </Paper>
  );
}
