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
import { useState } from 'react';
import { Link as RouterLink, useNavigate } from 'react-router';
import { devicePath, signals } from '../../api/queries';
import type { Signal } from '../../api/schema';
import { RemoveDialog } from '../../components/RemoveDialog';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';
import { inWords } from '../meaning/words';
import { EnterDialog } from './EnterDialog';
import { RetentionDialog } from './RetentionDialog';
import { SignalDialog } from './SignalDialog';
import { May } from '../../components/may';

/** What is open over the list. */
type Open =
  { kind: 'none' } | { kind: 'add' } | { kind: 'edit' | 'remove' | 'enter' | 'keep'; signal: Signal };

/** The signals of a device: declare, change, remove. */
export function SignalsSection({ device }: { device: string }) {
  const site = useSite();
  const [open, setOpen] = useState<Open>({ kind: 'none' });
  const { data = [], error } = useQuery(signals(site.code, device));
  const navigate = useNavigate();
  const close = () => setOpen({ kind: 'none' });
  const path = `${devicePath(site.code, device)}/signals`;
  return (
    <Paper sx={{ p: 2 }}>
      {error && <ProblemAlert error={error} />}
      <TableContainer>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Code</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Type</TableCell>
              <TableCell>Unit</TableCell>
              <TableCell>Means</TableCell>
              <TableCell>Note</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {data.map((signal) => (
              <TableRow key={signal.code}>
                <TableCell sx={mono}>{signal.code}</TableCell>
                <TableCell>{signal.name}</TableCell>
                <TableCell>{signal.type}</TableCell>
                <TableCell>{signal.symbol || '—'}</TableCell>
                <TableCell>
                  <Link
                    component={RouterLink}
                    to={`/sites/${site.code}/devices/${device}/signals/${encodeURIComponent(signal.code)}`}
                    aria-label={`What ${signal.code} means: ${inWords(signal.meaning)}`}
                  >
                    {inWords(signal.meaning)}
                  </Link>
                </TableCell>
                <TableCell>{signal.note}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                  {!signal.reserved && signal.meaning?.formula === undefined && (
                    <May right="enter">
                      <Button
                        size="small"
                        onClick={() => setOpen({ kind: 'enter', signal })}
                        aria-label={`Enter a reading of ${signal.code}`}
                      >
                        Enter
                      </Button>
                    </May>
                  )}
                  <May right="set_up">
                    <Button
                      size="small"
                      onClick={() => setOpen({ kind: 'edit', signal })}
                      aria-label={`Edit ${signal.code}`}
                    >
                      Edit
                    </Button>
                  </May>
                  <May right="remove">
                    <Button
                      size="small"
                      onClick={() => setOpen({ kind: 'keep', signal })}
                      aria-label={`How long ${signal.code} is kept`}
                    >
                      Keep
                    </Button>
                  </May>
                  <May right="remove">
                    <Button
                      size="small"
                      color="error"
                      onClick={() => setOpen({ kind: 'remove', signal })}
                      aria-label={`Remove ${signal.code}`}
                    >
                      Remove
                    </Button>
                  </May>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <Box sx={{ mt: 2 }}>
        <May right="set_up">
          <Button variant="outlined" onClick={() => setOpen({ kind: 'add' })}>
            Declare a signal
          </Button>
        </May>
      </Box>
      {open.kind === 'add' && <SignalDialog path={path} onClose={close} />}
      {open.kind === 'edit' && <SignalDialog path={path} signal={open.signal} onClose={close} />}
      {open.kind === 'enter' && (
        <EnterDialog
          path={`${path}/${encodeURIComponent(open.signal.code)}`}
          signal={open.signal}
          onClose={close}
        />
      )}
      {open.kind === 'keep' && (
        <RetentionDialog
          path={`${path}/${encodeURIComponent(open.signal.code)}`}
          code={open.signal.code}
          onClose={close}
        />
      )}
      {open.kind === 'remove' && (
        <RemoveDialog
          path={`${path}/${encodeURIComponent(open.signal.code)}`}
          what="signal"
          code={open.signal.code}
          onClose={close}
          onRemoved={() => {
            close();
            void navigate('.', { replace: true, state: { removed: { device, signal: open.signal.code } } });
          }}
        />
      )}
    </Paper>
  );
}
