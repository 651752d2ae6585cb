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
import { Link } from 'react-router';
import type { MadeDevice } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';
import { FieldHost } from '../sending/FieldHost';
import { leadsHome, reachable, useFieldHost } from '../sending/reach';

/** Several devices just made, with a list of their keys to print. */
export function SeveralMade({ made }: { made: MadeDevice[] }) {
  const site = useSite();
  const host = useFieldHost();
  return (
    <Box sx={{ maxWidth: 1100 }}>
      <PageHeading gutterBottom>{made.length} devices are ready to send</PageHeading>
      <Box sx={{ displayPrint: 'none' }}>
        <Alert severity="warning" sx={{ mb: 2 }}>
          The keys are shown only now. Print or copy this list before you leave the page.
        </Alert>
        {made.some(({ key }) => key && leadsHome(key.address)) && <FieldHost />}
      </Box>
      <TableContainer component={Paper} sx={{ mb: 3 }}>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Device</TableCell>
              <TableCell>Code</TableCell>
              <TableCell>Key</TableCell>
              <TableCell>Address</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {made.map(({ code, name, key }) => (
              <TableRow key={code}>
                <TableCell>{name}</TableCell>
                <TableCell sx={mono}>{code}</TableCell>
                <TableCell sx={mono}>{key?.key}</TableCell>
                <TableCell sx={mono}>{key && reachable(key.address, host)}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <Box sx={{ display: 'flex', gap: 2, displayPrint: 'none' }}>
        <Button variant="contained" onClick={() => window.print()}>
          Print the list
        </Button>
        <Button component={Link} to={`/sites/${site.code}`}>
          To the lamp room
        </Button>
      </Box>
    </Box>
  );
}
