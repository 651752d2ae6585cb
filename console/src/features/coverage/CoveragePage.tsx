import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { coverage, type Span } from '../../api/pastQueries';
import type { CoverageReport, DeviceCoverage } from '../../api/schema';
import { useSame } from '../../chart/useSame';
import { LookTabs } from '../../components/LookTabs';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { age } from '../../format/age';
import { grouped } from '../../format/number';
import { dateTime } from '../../format/time';
import { saveFile } from '../../format/saveFile';
import { csvOf, endOf, meanShare, monthOf, percent } from './parts';
import { Strip, StripLegend, StripPatterns } from './Strip';

const DAY = 86_400_000;
/** So many months before this one can be chosen by a button. */
const MONTHS = 3;

/** How much of what was expected came, device by device: on the screen, printed or as a file. */
export function CoveragePage() {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const [pages, setPages] = useState<string[]>([]);
  const [from, to] = [Number(params.get('from')), Number(params.get('to'))];
  // A week up to the full hour, so that the same is not asked again and again.
  const hour = Math.ceil(serviceNow() / 3_600_000) * 3_600_000;
  const span: Span = useSame(from > 0 && to > from ? { from, to } : { from: hour - 7 * DAY, to: hour });
  const by = span.to - span.from > 31.5 * DAY ? 'day' : 'hour';
  const { data, error, refetch } = useQuery(coverage(site.code, span, site.zone, by, pages.at(-1)));
  const show = (next: Span) => {
    setPages([]);
    setParams((old) => {
      const address = new URLSearchParams(old);
      address.set('from', String(next.from));
      address.set('to', String(next.to));
      return address;
    });
  };
  return (
    <>
      <PageHeading gutterBottom>Coverage</PageHeading>
      <LookTabs />
      <Choices zone={site.zone} onShow={show} />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={240} />}
      {data?.devices.length === 0 && (
        <Empty title="No device yet">
          What comes of a device is counted hour by hour, and gaps are told here.
        </Empty>
      )}
      {data && data.devices.length > 0 && <Report report={data} zone={site.zone} by={by} />}
      <Stack direction="row" spacing={1} sx={{ displayPrint: 'none' }}>
        {pages.length > 0 && (
          <Button onClick={() => setPages((old) => old.slice(0, -1))}>Devices before</Button>
        )}
        {data?.next !== undefined && (
          <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>More devices</Button>
        )}
      </Stack>
    </>
  );
}

function Choices({ zone, onShow }: { zone: string; onShow: (span: Span) => void }) {
  const now = serviceNow();
  const hour = Math.ceil(now / 3_600_000) * 3_600_000;
  return (
    <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: 'wrap', mb: 2, displayPrint: 'none' }}>
      <Button size="small" onClick={() => onShow({ from: hour - DAY, to: hour })}>
        The last day
      </Button>
      <Button size="small" onClick={() => onShow({ from: hour - 7 * DAY, to: hour })}>
        The last week
      </Button>
      {Array.from({ length: MONTHS + 1 }, (_, back) => monthOf(now, back, zone)).map(({ name, ...month }) => (
        <Button key={name} size="small" onClick={() => onShow(month)}>
          {name}
        </Button>
      ))}
    </Stack>
  );
}

function Report({ report, zone, by }: { report: CoverageReport; zone: string; by: 'hour' | 'day' }) {
  const starts = useMemo(
    () => report.starts_ms.map((start) => dateTime(start, zone).slice(0, by === 'day' ? 10 : 16)),
    [report, zone, by],
  );
  const { devices } = report;
  const [first, last] = [dateTime(report.from, zone).slice(0, 16), dateTime(report.to, zone).slice(0, 16)];
  return (
    <>
      <StripPatterns />
      <Typography sx={{ fontSize: 18 }}>
        {`From ${first} to ${last}, ${meanShare(devices)} of what was expected came, on average of ${devices.length} devices.`}
      </Typography>
      <StripLegend />
      <Stack direction="row" spacing={1} sx={{ mb: 2, displayPrint: 'none' }}>
        <Button size="small" onClick={() => window.print()}>
          Print the report
        </Button>
        <Button
          size="small"
          onClick={() => saveFile(`coverage-${first.slice(0, 10)}.csv`, 'text/csv', csvOf(devices, starts))}
        >
          Save as CSV
        </Button>
      </Stack>
      {devices.map((device) => (
        <DeviceRow key={device.device} device={device} starts={starts} zone={zone} />
      ))}
      <Traffic report={report} />
    </>
  );
}

function DeviceRow({ device, starts, zone }: { device: DeviceCoverage; starts: string[]; zone: string }) {
  const site = useSite();
  const [isOpen, setOpen] = useState(false);
  const { gaps } = device;
  const lost = device.lost_each.reduce((sum, one) => sum + one, 0);
  const longest = Math.max(0, ...gaps.map(({ length_s }) => length_s));
  const facts = [
    `${percent(device.received, device.expected)} of ${grouped(device.expected)}`,
    ...(lost > 0 ? [`${grouped(lost)} lost on the way`] : []),
    ...(device.repeated > 0 ? [`${grouped(device.repeated)} came again`] : []),
    ...(device.late > 0 ? [`${grouped(device.late)} late, up to ${age(device.oldest_s * 1000)}`] : []),
    ...(device.refused > 0 ? [`${grouped(device.refused)} refused`] : []),
    ...(longest > 0 ? [`longest gap ${age(longest * 1000)}`] : []),
  ];
  return (
    <Box component="section" aria-label={device.name} sx={{ mb: 2, breakInside: 'avoid' }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, alignItems: 'baseline' }}>
        <Link
          component={RouterLink}
          to={`/sites/${site.code}/devices/${device.device}`}
          sx={{ fontWeight: 650 }}
        >
          {device.name}
        </Link>
        <Typography variant="body2" color="text.secondary">
          {facts.join(' · ')}
        </Typography>
        {gaps.length > 0 && (
          <Button
            size="small"
            onClick={() => setOpen((old) => !old)}
            aria-expanded={isOpen}
            aria-label={`Gaps of ${device.name}`}
            sx={{ displayPrint: 'none' }}
          >
            {isOpen ? 'Hide gaps' : `${gaps.length} ${gaps.length === 1 ? 'gap' : 'gaps'}`}
          </Button>
        )}
      </Box>
      <Strip device={device} starts={starts} />
      {isOpen && <Gaps device={device} zone={zone} />}
    </Box>
  );
}

function Gaps({ device, zone }: { device: DeviceCoverage; zone: string }) {
  return (
    <TableContainer sx={{ mt: 1 }}>
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Last before</TableCell>
            <TableCell>First after</TableCell>
            <TableCell align="right">Length</TableCell>
            <TableCell>What ended it</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {device.gaps.map((gap) => (
            <TableRow key={gap.from}>
              <TableCell>{dateTime(gap.from, zone)}</TableCell>
              <TableCell>{gap.to === undefined ? '—' : dateTime(gap.to, zone)}</TableCell>
              <TableCell align="right">{age(gap.length_s * 1000)}</TableCell>
              <TableCell>{endOf(gap)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

/** Messages by the way they came. */
function Traffic({ report: { traffic } }: { report: CoverageReport }) {
  if (traffic.length === 0) return null;
  return (
    <Box component="section" aria-label="Messages" sx={{ mt: 4 }}>
      <Typography variant="h2" gutterBottom>
        Messages by the way they came
      </Typography>
      <Table size="small" sx={{ maxWidth: 560 }}>
        <TableHead>
          <TableRow>
            <TableCell>Way</TableCell>
            <TableCell align="right">Messages</TableCell>
            <TableCell align="right">Most devices at once</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {traffic.map(({ protocol, messages_each, devices_each }) => (
            <TableRow key={protocol}>
              <TableCell>{protocol}</TableCell>
              <TableCell align="right">{grouped(messages_each.reduce((sum, one) => sum + one, 0))}</TableCell>
              <TableCell align="right">{Math.max(0, ...devices_each)}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
