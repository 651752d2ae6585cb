import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { deviceNow } from '../../api/queries';
import type { Device, NewSignal } from '../../api/schema';
import { CopyText } from '../../components/CopyText';
import { Lamp } from '../../components/Lamp';
import { useSite } from '../../components/siteContext';
import { shown, withUnit } from '../../format/number';
import { curlLine } from './curl';

/** A device just made: its key, shown this once, and a line that tries it. */
export function DeviceMade({
  device,
  secret,
  signals,
}: {
  device: Device;
  secret: string;
  signals: NewSignal[];
}) {
  const site = useSite();
  return (
    <Box sx={{ maxWidth: 860 }}>
      <Typography variant="h1" gutterBottom>
        {device.name} is ready to send
      </Typography>
      <Paper sx={{ p: 3, mb: 3 }}>
        <Typography variant="h2" gutterBottom>
          Its key
        </Typography>
        <Alert severity="warning" sx={{ mb: 2 }}>
          The key is shown only now. Copy it into the sender, or issue another one later.
        </Alert>
        <CopyText text={secret} label="key" id="issued-key" />
      </Paper>
      <Paper sx={{ p: 3, mb: 3 }}>
        <Typography variant="h2" gutterBottom>
          Try it from a terminal
        </Typography>
        <CopyText text={curlLine(window.location.origin, secret, signals)} label="curl line" id="curl-line" />
        <Typography color="textSecondary" sx={{ mt: 2, mb: 1 }}>
          A sender that cannot set headers uses this address instead, with values as ?name=value:
        </Typography>
        <CopyText text={`${window.location.origin}/in/${secret}`} label="address" />
      </Paper>
      <FirstReading device={device.code} />
      <Button component={Link} to={`/sites/${site.code}/devices/${device.code}`} variant="contained">
        To the device
      </Button>
    </Box>
  );
}

function FirstReading({ device }: { device: string }) {
  const site = useSite();
  const { data } = useQuery(deviceNow(site.code, device));
  const heard = data?.signals.filter((signal) => signal.last) ?? [];
  return (
    <Paper
      sx={{ p: 3, mb: 3, display: 'flex', gap: 2, alignItems: 'center', minHeight: 84 }}
      aria-live="polite"
    >
      <Lamp
        presence={data?.presence ?? 'never'}
        beat={heard.map((signal) => signal.last?.at).join()}
        size={40}
      />
      <Typography>
        {!data || data.presence === 'never'
          ? 'Waiting for the first reading. It appears here by itself.'
          : `Heard. ${heard.map((signal) => `${signal.name} ${withUnit(shown(signal.last?.value, signal.decimals), signal.symbol)}`).join(', ')}`}
      </Typography>
    </Paper>
  );
}
