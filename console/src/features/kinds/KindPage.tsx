import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { api } from '../../api/client';
import { followers, kind as kindQuery, kindPath, revisions } from '../../api/queries';
import type { Kind } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { KindForm } from './KindForm';
import { MoveDialog } from './MoveDialog';
import { May } from '../../components/may';

/** One kind: who follows which revision, and the form that makes the next one. */
export function KindPage() {
  const site = useSite();
  const cache = useQueryClient();
  const { kind: code = '' } = useParams();
  const { data, error, refetch } = useQuery(kindQuery(site.code, code));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading />;
  return (
    <>
      <PageHeading gutterBottom>
        {data.description.name}, revision {data.revision}
      </PageHeading>
      <Followers kind={data} />
      <Revisions kind={data} />
      <May right="set_up">
        <Typography variant="h2" sx={{ mt: 4, mb: 1 }}>
          Revise it
        </Typography>
        <Typography color="textSecondary" sx={{ mb: 2 }}>
          A change makes revision {data.revision + 1}. Devices follow the revision they have until they are
          moved.
        </Typography>
        <KindForm
          key={data.revision}
          description={data.description}
          submitLabel={`Make revision ${data.revision + 1}`}
          save={(description) => api.put<Kind>(kindPath(site.code, code), description)}
          onSaved={() => void cache.invalidateQueries({ queryKey: ['kinds', site.code] })}
        />
      </May>
    </>
  );
}

function Followers({ kind }: { kind: Kind }) {
  const site = useSite();
  const { data = [] } = useQuery(followers(site.code, kind.code));
  const [moving, setMoving] = useState(false);
  const behind = data.filter((follower) => follower.revision !== kind.revision);
  return (
    <Paper sx={{ p: 2, mb: 3 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, justifyContent: 'space-between', mb: 1 }}>
        <Typography variant="h2">
          {data.length === 0
            ? 'No device follows it yet'
            : behind.length === 0
              ? 'All its devices follow the newest revision'
              : data.length === 1
                ? 'Its one device follows an older revision'
                : `${behind.length} of ${data.length} devices follow an older revision`}
        </Typography>
        <Box sx={{ display: 'flex', gap: 1 }}>
          <May right="set_up">
            <Button
              component={RouterLink}
              to={`/sites/${site.code}/add-device?kind=${encodeURIComponent(kind.code)}`}
            >
              Add devices
            </Button>
          </May>
          {behind.length > 0 && (
            <May right="set_up">
              <Button variant="contained" onClick={() => setMoving(true)}>
                Move {behind.length === 1 ? 'it' : 'them'} to revision {kind.revision}
              </Button>
            </May>
          )}
        </Box>
      </Box>
      {data.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>Device</TableCell>
                <TableCell>Code</TableCell>
                <TableCell align="right">Revision</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {data.map((follower) => (
                <TableRow key={follower.device}>
                  <TableCell>
                    <Link component={RouterLink} to={`/sites/${site.code}/devices/${follower.device}`}>
                      {follower.name}
                    </Link>
                  </TableCell>
                  <TableCell sx={mono}>{follower.device}</TableCell>
                  <TableCell align="right">{follower.revision}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {moving && <MoveDialog kind={kind} onClose={() => setMoving(false)} />}
    </Paper>
  );
}

function Revisions({ kind }: { kind: Kind }) {
  const site = useSite();
  const { data = [] } = useQuery(revisions(site.code, kind.code));
  return (
    <Paper sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Revisions
      </Typography>
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell align="right">Revision</TableCell>
              <TableCell>Made</TableCell>
              <TableCell>By</TableCell>
              <TableCell>Signals</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((revision) => (
              <TableRow key={revision.revision}>
                <TableCell align="right">{revision.revision}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(revision.made_at, site.zone)}</TableCell>
                <TableCell>{revision.made_by}</TableCell>
                <TableCell sx={mono}>
                  {revision.description.signals?.map((signal) => signal.code).join(', ') ?? '—'}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Paper>
  );
}
