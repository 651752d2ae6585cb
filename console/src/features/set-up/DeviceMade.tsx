import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { contacts, deviceNow } from '../../api/queries';
import type { Contact, DeviceNow, IssuedKey, MadeDevice } from '../../api/schema';
import { useBeat, useStanding } from '../../api/useLive';
import { ContactLines } from '../../components/ContactLines';
import { Lamp } from '../../components/Lamp';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { IssuedLines } from '../sending/IssuedLines';
import { RecipesPanel } from '../sending/RecipesPanel';
import { WhyButton } from '../why/WhyButton';

/** Contacts that are shown while the first reading is awaited. */
const SHOWN = 5;

/** A device just made: its key, how to send with it, and what comes, refusals too. */
export function DeviceMade({ device, issued }: { device: MadeDevice; issued: IssuedKey }) {
  const site = useSite();
  const base = `/sites/${site.code}/devices/${device.code}`;
  return (
    <Box sx={{ maxWidth: 960 }}>
      <PageHeading gutterBottom>{device.name} is ready to send</PageHeading>
      <Typography color="textSecondary" sx={{ mb: 3 }}>
        It is in trial: what it sends is kept apart until you say that it counts.
      </Typography>
      <Paper sx={{ p: 3, mb: 3 }}>
        <Typography variant="h2" gutterBottom>
          1. Its key
        </Typography>
        <IssuedLines issued={issued} />
      </Paper>
      <Paper sx={{ p: 3, mb: 3 }}>
        <Typography variant="h2" gutterBottom>
          2. Send from a terminal, a board or a modem
        </Typography>
        <RecipesPanel device={device.code} secret={issued.key} />
      </Paper>
      <Paper sx={{ p: 3, mb: 3 }} aria-live="polite">
        <Typography variant="h2" gutterBottom>
          3. What comes
        </Typography>
        <FirstContacts device={device.code} />
      </Paper>
      <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap' }}>
        <Button component={Link} to={base} variant="contained">
          To the device
        </Button>
        <Button component={Link} to={`${base}/commissioning`}>
          To its commissioning
        </Button>
      </Box>
    </Box>
  );
}

function FirstContacts({ device }: { device: string }) {
  const site = useSite();
  const { data: now } = useQuery(deviceNow(site.code, device));
  const { data, error, refetch } = useQuery(contacts(site.code, device));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data || !now) return <Loading height={80} />;
  return (
    <>
      <Heard device={now} contacts={data} />
      {data.length > 0 && <ContactLines contacts={data.slice(0, SHOWN)} zone={site.zone} />}
      <WhyButton device={device} sx={{ mt: 1 }}>
        Why is nothing here?
      </WhyButton>
    </>
  );
}

function Heard({ device, contacts: came }: { device: DeviceNow; contacts: Contact[] }) {
  const { presence } = useStanding(device);
  const beat = useBeat(device.device);
  return (
    <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', minHeight: 48, mb: 1 }}>
      <Lamp presence={presence} beat={beat} size={40} />
      <Typography>{told(came)}</Typography>
    </Box>
  );
}

function told(came: Contact[]): string {
  if (came.length === 0) return 'Waiting for the first message. It appears here by itself, refused or not.';
  const isKept = came.some(({ outcome }) => outcome !== 'refused');
  return isKept ? 'It is heard.' : 'Something came, but nothing was kept of it yet.';
}
