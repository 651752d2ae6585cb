import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { removed as removedQuery } from '../../api/queries';
import { nameOf, useRestore } from '../../api/useRestore';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';

/** What was removed within the last day and can be brought back; nothing if nothing was. */
export function RemovedPanel() {
  const site = useSite();
  const { data = [], error } = useQuery(removedQuery(site.code));
  const restore = useRestore();
  if (error) return <ProblemAlert error={error} />;
  if (data.length === 0) return null;
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        Removed within the last day
      </Typography>
      {restore.error && <ProblemAlert error={restore.error} />}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Code</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Removed</TableCell>
              <TableCell>Kept until</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((item) => {
              const code = nameOf(item);
              return (
                <TableRow key={`${code} ${item.at}`}>
                  <TableCell sx={mono}>{code}</TableCell>
                  <TableCell>{item.name}</TableCell>
                  <TableCell>{dateTime(item.at, site.zone)}</TableCell>
                  <TableCell>{dateTime(item.until, site.zone)}</TableCell>
                  <TableCell align="right">
                    <Button
                      size="small"
                      aria-label={`Bring ${code} back`}
                      disabled={restore.isPending}
                      onClick={() => restore.mutate(item)}
                    >
                      Bring it back
                    </Button>
                  </TableCell>
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
      </TableContainer>
    </Paper>
  );
}
