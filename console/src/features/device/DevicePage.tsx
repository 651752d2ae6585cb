import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useEffect, type ReactNode } from 'react';
import { Link as RouterLink, useLocation, useParams } from 'react-router';
import { deviceNow } from '../../api/queries';
import type { DeviceNow } from '../../api/types';
import { Lamp } from '../../components/Lamp';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { useServiceNow } from '../../format/clock';
import { HistorySection } from './HistorySection';
import { NowSection } from './NowSection';
import { SendingSection } from './SendingSection';
import { SettingsSection } from './SettingsSection';
import { SignalsSection } from './SignalsSection';

const SECTIONS = [
  { id: 'now', title: 'Now' },
  { id: 'history', title: 'History' },
  { id: 'signals', title: 'Signals' },
  { id: 'sending', title: 'Sending' },
  { id: 'settings', title: 'Settings' },
] as const;

type SectionId = (typeof SECTIONS)[number]['id'];

/** One device: its values now, its history, and how it is set up. */
export function DevicePage() {
  const site = useSite();
  const { device: code = '' } = useParams();
  const { data, error, refetch } = useQuery(deviceNow(site.code, code));
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
  const sections: Record<SectionId, ReactNode> = {
    now: <NowSection device={data} />,
    history: <HistorySection key={code} device={data} />,
    signals: <SignalsSection key={code} device={code} />,
    sending: <SendingSection key={code} device={data} />,
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
        {SECTIONS.map(({ id, title }) => (
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
        {SECTIONS.map(({ id, title }) => (
          <Link key={id} href={`#${id}`} color="textSecondary" sx={{ display: 'block', py: 0.5 }}>
            {title}
          </Link>
        ))}
      </Box>
    </Box>
  );
}

function Header({ device }: { device: DeviceNow }) {
  const now = useServiceNow();
  const latest = Math.max(
    ...device.signals.map((signal) => (signal.last ? Date.parse(signal.last.at) : -Infinity)),
    device.last_heard_at ? Date.parse(device.last_heard_at) : -Infinity,
  );
  const state = device.presence === 'never' ? 'never heard' : `${device.presence}, ${age(now - latest)} ago`;
  return (
    <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center', mb: 3 }}>
      <Lamp presence={device.presence} beat={String(latest)} size={40} />
      <Typography variant="h1" sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        {device.name}: {state}
      </Typography>
    </Box>
  );
}
