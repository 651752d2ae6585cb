import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { devicePath, keys, sitePath } from '../../api/queries';
import type { IssuedKey, Key } from '../../api/schema';
import { Age } from '../../components/Age';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { IssueKeyDialog } from './IssueKeyDialog';
import { IssuedLines } from './IssuedLines';
import { ReplaceKeyDialog } from './ReplaceKeyDialog';
import { RevokeDialog } from './RevokeDialog';

interface Props {
  /** The device; without one, the site itself. */
  device?: string;
  /** Told of a key just issued, the only time it is known. */
  onIssued?: (key: IssuedKey) => void;
}

/** The keys of a device or site: issue, replace, revoke. */
export function KeysPanel({ device, onIssued }: Props) {
  const site = useSite();
  const cache = useQueryClient();
  const query = keys(site.code, device);
  const { data = [], error } = useQuery(query);
  const [issuing, setIssuing] = useState(false);
  const [issued, setIssued] = useState<IssuedKey>();
  const [replacing, setReplacing] = useState<Key>();
  const [revoking, setRevoking] = useState<Key>();
  const path = `${device === undefined ? sitePath(site.code) : devicePath(site.code, device)}/keys`;
  const refresh = () => cache.invalidateQueries({ queryKey: query.queryKey });
  const took = (key: IssuedKey) => {
    setIssued(key);
    setIssuing(false);
    setReplacing(undefined);
    onIssued?.(key);
    return refresh();
  };
  const revoke = useMutation({
    mutationFn: (id: number) => api.delete<Key>(`${path}/${id}`),
    onSuccess: refresh,
  });
  const problem = error ?? revoke.error;
  return (
    <>
      {problem && <ProblemAlert error={problem} />}
      {issued && <IssuedLines issued={issued} />}
      {data.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>Key</TableCell>
                <TableCell>For</TableCell>
                <TableCell>Note</TableCell>
                <TableCell>Last used</TableCell>
                <TableCell>State</TableCell>
                <TableCell />
              </TableRow>
            </TableHead>
            <TableBody>
              {data.map((key) => (
                <TableRow key={key.id}>
                  <TableCell sx={mono}>…{key.hint}</TableCell>
                  <TableCell>{key.grants.join(', ')}</TableCell>
                  <TableCell>{key.note}</TableCell>
                  <TableCell sx={{ whiteSpace: 'nowrap' }}>
                    <Age at={key.last_used_at} zone={site.zone} />
                    {key.last_used_from === undefined ? '' : ` from ${key.last_used_from}`}
                  </TableCell>
                  <TableCell>{state(key, site.zone)}</TableCell>
                  <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                    {!key.revoked_at && (
                      <>
                        <Button
                          size="small"
                          onClick={() => setReplacing(key)}
                          aria-label={`Replace key ending in ${key.hint}`}
                        >
                          Replace
                        </Button>
                        <Button
                          size="small"
                          color="error"
                          onClick={() => setRevoking(key)}
                          aria-label={`Revoke key ending in ${key.hint}`}
                        >
                          Revoke
                        </Button>
                      </>
                    )}
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      <Button variant="outlined" onClick={() => setIssuing(true)} sx={{ mt: 2 }}>
        Issue a key
      </Button>
      {revoking && (
        <RevokeDialog
          hint={revoking.hint}
          lastUsedAt={revoking.last_used_at}
          onRevoke={() => {
            revoke.mutate(revoking.id);
            setRevoking(undefined);
          }}
          onClose={() => setRevoking(undefined)}
        />
      )}
      {replacing && (
        <ReplaceKeyDialog
          path={path}
          replaced={replacing}
          onIssued={(key) => void took(key)}
          onClose={() => setReplacing(undefined)}
        />
      )}
      {issuing && (
        <IssueKeyDialog path={path} onIssued={(key) => void took(key)} onClose={() => setIssuing(false)} />
      )}
    </>
  );
}

function state(key: Key, zone: string): string {
  if (key.revoked_at) return `revoked ${dateTime(key.revoked_at, zone)}`;
  if (!key.expires_at) return 'in use';
  const over = Date.parse(key.expires_at) <= serviceNow();
  return `${over ? 'ended' : 'ends'} ${dateTime(key.expires_at, zone)}`;
}
