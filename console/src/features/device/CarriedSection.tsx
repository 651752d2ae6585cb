import Box from '@mui/material/Box';
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
import { carried, link as linkQuery } from '../../api/queries';
import type { Link as DeviceLink, LinkValue } from '../../api/schema';
import { Age } from '../../components/Age';
import { Lamp } from '../../components/Lamp';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { useServiceNow } from '../../format/clock';
import { mono } from '../../theme/theme';
import { HourBars } from './HourBars';
import { JoiningWindow } from './JoiningWindow';
import { fixed, grouped } from '../../format/number';

/** The devices a gateway carries and how their messages come through; or how its own do. */
export function CarriedSection({ device }: { device: string }) {
  const site = useSite();
  const own = useQuery(linkQuery(site.code, device));
  const { data, error, refetch } = useQuery(carried(site.code, device));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={120} />;
  const counted = own.data && own.data.day.received > 0 ? [own.data] : [];
  const links = [...counted, ...data];
  return (
    <Paper sx={{ p: 2 }}>
      {links.length === 0 ? (
        <Typography color="textSecondary" sx={{ maxWidth: 760 }}>
          It carries none. A gateway names the device of each message in its payload, by its decoder or by the
          topic SITE/DEVICE/in; what it has not carried before waits among the arrivals, or joins at once
          while a joining window is open.
        </Typography>
      ) : (
        <>
          <Typography sx={{ mb: 1.5 }}>{sentence(links)}</Typography>
          <LinkTable links={links} />
        </>
      )}
      <JoiningWindow device={device} />
    </Paper>
  );
}

const percent = (ratio: number) => `${fixed(ratio * 100, ratio > 0.995 && ratio < 1 ? 2 : 1)} %`;

/** What the table says, in a sentence. */
export function sentence(links: DeviceLink[]): string {
  const known = links.filter((link) => link.day.delivery_ratio !== undefined);
  if (known.length === 0) return 'No message number is known yet, so losses cannot be counted.';
  const worst = known.reduce((a, b) => ((a.day.delivery_ratio ?? 1) <= (b.day.delivery_ratio ?? 1) ? a : b));
  const received = known.reduce((sum, link) => sum + link.day.received, 0);
  const lost = known.reduce((sum, link) => sum + link.day.lost, 0);
  const all = `${percent(received / Math.max(1, received + lost))} of all messages came in the last 24 hours`;
  return known.length === 1 || lost === 0
    ? `${all}.`
    : `${all}; fewest from ${worst.device}, ${percent(worst.day.delivery_ratio ?? 1)}.`;
}

const shown = (value: LinkValue | undefined) =>
  value === undefined ? '—' : `${String(value.value).replace('-', '−')} ${value.symbol}`;

function LinkTable({ links }: { links: DeviceLink[] }) {
  const site = useSite();
  const now = useServiceNow();
  const number = { align: 'right', sx: { fontVariantNumeric: 'tabular-nums' } } as const;
  return (
    <TableContainer tabIndex={0} aria-label="Carried devices">
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Device</TableCell>
            <TableCell>Called</TableCell>
            <TableCell>Last heard</TableCell>
            <TableCell align="right">Battery</TableCell>
            <TableCell align="right">Link</TableCell>
            <TableCell align="right">Lost</TableCell>
            <TableCell align="right">Again</TableCell>
            <TableCell align="right">Delivered</TableCell>
            <TableCell>By hour, last 24 h</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {links.map((link) => (
            <TableRow key={link.device}>
              <TableCell>
                <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', minWidth: 160 }}>
                  <Lamp presence={link.presence} beat="" size={20} />
                  <Box>
                    <Link component={RouterLink} to={`/sites/${site.code}/devices/${link.device}`}>
                      {link.name}
                    </Link>
                    <Typography variant="body2" color="textSecondary">
                      {link.device}, {link.presence === 'never' ? 'never heard' : link.presence}
                    </Typography>
                  </Box>
                </Box>
              </TableCell>
              <TableCell sx={mono}>{link.identity ?? '—'}</TableCell>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>
                <Age at={link.last_heard_at} zone={site.zone} />
              </TableCell>
              <TableCell {...number}>{shown(link.battery)}</TableCell>
              <TableCell {...number}>{shown(link.quality)}</TableCell>
              <TableCell {...number}>{grouped(link.day.lost)}</TableCell>
              <TableCell {...number}>{grouped(link.day.repeated)}</TableCell>
              <TableCell {...number}>
                {link.day.delivery_ratio === undefined ? '—' : percent(link.day.delivery_ratio)}
              </TableCell>
              <TableCell>
                <HourBars hours={link.hours} now={now} zone={site.zone} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
