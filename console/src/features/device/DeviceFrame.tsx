import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, NavLink, Outlet, useParams } from 'react-router';
import { deviceNow } from '../../api/queries';
import type { DeviceNow, Right } from '../../api/schema';
import { useBeat, useStanding } from '../../api/useLive';
import { Lamp } from '../../components/Lamp';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { useServiceNow } from '../../format/clock';
import { DeviceAlarms } from '../alarms/DeviceAlarms';
import { ConnectionLine } from './ConnectionLine';

/** The parts of a device's page: what is looked at daily first. */
const PARTS: { path: string; title: string; right?: Right }[] = [
  { path: '', title: 'Now and history' },
  { path: 'contacts', title: 'Contacts' },
  { path: 'signals', title: 'Signals' },
  { path: 'sending', title: 'Sending', right: 'set_up' },
  { path: 'set-up', title: 'Set-up', right: 'set_up' },
];

/** What stands around every part of a device's page. */
export function DeviceFrame() {
  const site = useSite();
  const { device: code = '' } = useParams();
  const { data, error, refetch } = useQuery(deviceNow(site.code, code));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (data === null) {
    const back = (
      <Button component={RouterLink} to={`/sites/${site.code}`} variant="contained">
        To the lamp room
      </Button>
    );
    return (
      <Empty title={`The device ${code} was removed`} action={back}>
        Its signals, keys and readings went with it.
      </Empty>
    );
  }
  if (!data) return <Loading />;
  return (
    <>
      <Header device={data} />
      <ConnectionLine device={data} />
      {data.state === 'trial' && <InTrial device={data} />}
      <ClockOff device={data} />
      <DeviceAlarms device={code} />
      <Parts base={`/sites/${site.code}/devices/${code}`} />
      <Outlet context={data} />
    </>
  );
}

function Parts({ base }: { base: string }) {
  const { access } = useSite();
  const parts = PARTS.filter(({ right }) => right === undefined || access.may.includes(right));
  return (
    <Box
      component="nav"
      aria-label="Parts of this device"
      sx={{
        display: 'flex',
        gap: { xs: 2, sm: 3 },
        overflowX: 'auto',
        borderBottom: 1,
        borderColor: 'divider',
        mb: 3,
      }}
    >
      {parts.map(({ path, title }) => (
        <Link
          key={path}
          component={NavLink}
          to={path === '' ? base : `${base}/${path}`}
          end
          color="textPrimary"
          underline="none"
          sx={{
            flex: 'none',
            py: 1,
            borderBottom: 3,
            borderColor: 'transparent',
            '&.active': { borderColor: 'primary.main', fontWeight: 600 },
          }}
        >
          {title}
        </Link>
      ))}
    </Box>
  );
}

/** Says that a device is in trial, and leads to what is still to be done. */
function InTrial({ device }: { device: DeviceNow }) {
  const site = useSite();
  return (
    <Alert
      severity="info"
      icon={false}
      sx={{ mb: 3 }}
      action={
        <Button
          component={RouterLink}
          to={`/sites/${site.code}/devices/${device.device}/commissioning`}
          color="inherit"
          size="small"
        >
          Commissioning
        </Button>
      }
    >
      In trial: its readings are trial readings until it goes live.
    </Alert>
  );
}

/** Off by more than this, in seconds, a clock is worth a word. */
const CLOCK_OFF = 30;

function ClockOff({ device }: { device: DeviceNow }) {
  const offset = device.clock_offset_s ?? 0;
  if (Math.abs(offset) <= CLOCK_OFF) return null;
  return (
    <Alert severity="warning" sx={{ mb: 3 }}>
      Its clock is {age(Math.abs(offset) * 1000)} {offset > 0 ? 'behind' : 'ahead'}, or its messages are that
      long on their way. Set the sender&apos;s clock, or let it send no times.
    </Alert>
  );
}

function Header({ device }: { device: DeviceNow }) {
  const now = useServiceNow();
  const { presence } = useStanding(device);
  const beat = useBeat(device.device);
  const heard = [...device.signals.map((signal) => signal.last?.at), device.last_heard_at, beat];
  const latest = Math.max(...heard.map((at) => (at === undefined ? -Infinity : Date.parse(at))));
  const state = presence === 'never' ? 'never heard' : `${presence}, ${age(now - latest)} ago`;
  return (
    <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center', mb: 2 }}>
      <Lamp presence={presence} beat={beat} size={40} trial={device.state === 'trial'} />
      <PageHeading title={device.name} sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        {device.name}: {state}
      </PageHeading>
    </Box>
  );
}
