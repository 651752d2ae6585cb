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
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { arrivals } from '../../api/queries';
import { Age } from '../../components/Age';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';

/** Names nobody has declared, waiting with their readings. */
export function ArrivalsPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery({ ...arrivals(site.code), refetchInterval: 10_000 });
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading />;
  if (data.length === 0) {
    return (
      <Empty title="No arrivals">
        Everything that came in was declared. A value under a name nobody has declared is kept and waits here.
      </Empty>
    );
  }
  return (
    <>
      <Typography variant="h1" gutterBottom>
        {data.length === 1 ? 'One name waits' : `${data.length} names wait`} to be declared
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 720 }}>
        All readings are kept. Declare a signal of the same name on the device and they become its history.
      </Typography>
      <TableContainer component={Paper}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Device</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Looks like</TableCell>
              <TableCell align="right">Last value</TableCell>
              <TableCell>Last</TableCell>
              <TableCell>First</TableCell>
              <TableCell align="right">Readings</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((arrival) => (
              <TableRow key={`${arrival.device}/${arrival.name}`}>
                <TableCell>
                  <Link component={RouterLink} to={`/sites/${site.code}/devices/${arrival.device}`}>
                    {arrival.device}
                  </Link>
                </TableCell>
                <TableCell sx={mono}>{arrival.name}</TableCell>
                <TableCell>{arrival.type}</TableCell>
                <TableCell align="right">{String(arrival.last?.value ?? '—')}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <Age at={arrival.last?.at} zone={site.zone} />
                </TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(arrival.first_at, site.zone)}</TableCell>
                <TableCell align="right">{arrival.readings}</TableCell>
                <TableCell align="right">
                  <Button
                    component={RouterLink}
                    to={`/sites/${site.code}/devices/${arrival.device}?declare=${encodeURIComponent(arrival.name)}#signals`}
                    size="small"
                    aria-label={`Declare ${arrival.name} of ${arrival.device}`}
                  >
                    Declare
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </>
  );
}
