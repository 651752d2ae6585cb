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
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { kinds } from '../../api/queries';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { May } from '../../components/may';

/** The kinds of a site: makes of device, each described once. */
export function KindsPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(kinds(site.code));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading />;
  const add = (
    <May right="set_up">
      <Button component={RouterLink} to={`/sites/${site.code}/add-kind`} variant="contained">
        Describe a kind
      </Button>
    </May>
  );
  if (data.length === 0) {
    return (
      <Empty title="No kinds yet" action={add}>
        A kind describes a make of device once: its signals, how its payloads are read, how often it reports.
        Any number of devices are made from it.
      </Empty>
    );
  }
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, justifyContent: 'space-between', mb: 2 }}>
        <PageHeading>Kinds of device</PageHeading>
        {add}
      </Box>
      <TableContainer component={Paper}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Code</TableCell>
              <TableCell align="right">Signals</TableCell>
              <TableCell align="right">Devices</TableCell>
              <TableCell align="right">Revision</TableCell>
              <TableCell>Made</TableCell>
              <TableCell>By</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((kind) => (
              <TableRow key={kind.code}>
                <TableCell>
                  <Link component={RouterLink} to={`/sites/${site.code}/kinds/${kind.code}`}>
                    {kind.description.name}
                  </Link>
                </TableCell>
                <TableCell sx={mono}>{kind.code}</TableCell>
                <TableCell align="right">{kind.description.signals?.length ?? 0}</TableCell>
                <TableCell align="right">{kind.devices}</TableCell>
                <TableCell align="right">{kind.revision}</TableCell>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>{dateTime(kind.made_at, site.zone)}</TableCell>
                <TableCell>{kind.made_by}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </>
  );
}
