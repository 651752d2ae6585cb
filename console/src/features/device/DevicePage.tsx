import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useEffect, type ReactNode } from 'react';
import { Link as RouterLink, useLocation, useParams } from 'react-router';
import { carried, deviceNow } from '../../api/queries';
import type { DeviceNow } from '../../api/schema';
import { useBeat, useStanding } from '../../api/useLive';
import { Lamp } from '../../components/Lamp';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { useServiceNow } from '../../format/clock';
import { CarriedSection } from './CarriedSection';
import { CommandsSection } from './CommandsSection';
import { ConnectionLine } from './ConnectionLine';
import { ContactsSection } from './ContactsSection';
import { DecoderSection } from './DecoderSection';
import { HistorySection } from './HistorySection';
import { NowSection } from './NowSection';
import { SendingSection } from './SendingSection';
import { SettingsSection } from './SettingsSection';
import { SignalsSection } from './SignalsSection';

const SECTIONS = [
  { id: 'now', title: 'Now' },
  { id: 'history', title: 'History' },
  { id: 'carried', title: 'Carried devices' },
  { id: 'commands', title: 'Commands' },
  { id: 'contacts', title: 'Contacts' },
  { id: 'signals', title: 'Signals' },
  { id: 'sending', title: 'Sending' },
  { id: 'decoder', title: 'Decoder' },
  { id: 'settings', title: 'Settings' },
] as const;

type SectionId = (typeof SECTIONS)[number]['id'];

/** One device: its values now, its history, and how it is set up. */
export function DevicePage() {
  const site = useSite();
  const { device: code = '' } = useParams();
  const { data, error, refetch } = useQuery(deviceNow(site.code, code));
  const { data: links = [] } = useQuery(carried(site.code, code));
  const { hash } = useLocation();
  const ready = data !== undefined && data !== null;
  useEffect(() => {
    if (ready && hash !== '') document.getElementById(hash.slice(1))?.scrollIntoView();
  }, [ready, hash, code]);
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
  // A gateway that measures nothing itself begins with what it carries.
  const hidden: SectionId[] = data.signals.length === 0 && links.length > 0 ? ['now', 'history'] : [];
  const shown = SECTIONS.filter(({ id }) => !hidden.includes(id));
  const sections: Record<SectionId, ReactNode> = {
    now: <NowSection device={data} />,
    history: <HistorySection key={code} device={data} />,
    carried: <CarriedSection key={code} device={code} />,
    commands: <CommandsSection key={code} code={code} />,
    contacts: <ContactsSection device={code} />,
    signals: <SignalsSection key={code} device={code} />,
    sending: <SendingSection key={code} device={data} />,
    decoder: <DecoderSection key={code} code={code} />,
    settings: <SettingsSection key={code} code={code} />,
  };
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 3,
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', xl: 'minmax(0, 1fr) 140px' },
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        <Header device={data} />
        <ConnectionLine code={code} />
        {data.state === 'trial' && <InTrial device={data} />}
        <ClockOff device={data} />
        {shown.map(({ id, title }) => (
          <Box
            component="section"
            key={id}
            id={id}
            aria-labelledby={`${id}-title`}
            sx={{ mb: 4, scrollMarginTop: 72 }}
          >
            <Typography variant="h2" id={`${id}-title`} sx={{ mb: 1.5 }}>
              {title}
            </Typography>
            {sections[id]}
          </Box>
        ))}
      </Box>
      <Box
        component="nav"
        aria-label="Sections"
        sx={{
          display: { xs: 'none', xl: 'block' },
          position: 'sticky',
          top: 88,
          alignSelf: 'start',
          borderLeft: 1,
          borderColor: 'divider',
          pl: 2,
        }}
      >
        {shown.map(({ id, title }) => (
          <Link key={id} href={`#${id}`} color="textSecondary" sx={{ display: 'block', py: 0.5 }}>
            {title}
          </Link>
        ))}
      </Box>
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
      <Typography variant="h1" sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        {device.name}: {state}
      </Typography>
    </Box>
  );
}
