import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { Link as RouterLink } from 'react-router';
import type { Callout } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { CalloutState } from './CalloutState';
import { WAYS } from './words';

/** Messages, each with where it went and how far it is. */
export function CalloutTable({ callouts }: { callouts: Callout[] }) {
  const { code, zone } = useSite();
  return (
    <TableContainer component={Paper}>
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>Made</TableCell>
            <TableCell>To</TableCell>
            <TableCell>About</TableCell>
            <TableCell>State</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {callouts.map((one) => (
            <TableRow key={one.id}>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(one.made_at, zone)}</TableCell>
              <TableCell sx={{ overflowWrap: 'anywhere' }}>
                {one.callee}
                <Typography variant="body2" color="textSecondary">
                  {one.way ? WAYS[one.way] : 'no way to reach them'}
                </Typography>
              </TableCell>
              <TableCell sx={{ overflowWrap: 'anywhere' }}>
                <Link component={RouterLink} to={`/sites/${code}/alarms/callouts/${one.id}`}>
                  {one.subject}
                </Link>
              </TableCell>
              <TableCell>
                <CalloutState state={one.state} />
                {one.state === 'waiting' && one.attempts > 0 && (
                  <Typography variant="body2" color="textSecondary">
                    tried {one.attempts === 1 ? 'once' : `${one.attempts} times`}
                  </Typography>
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
