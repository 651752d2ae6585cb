import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { IssuedKey } from '../../api/schema';
import { CopyText } from '../../components/CopyText';
import { reachable, useFieldHost } from './reach';

/** A key just issued, and the addresses that hold all a sender needs. */
export function IssuedLines({ issued }: { issued: IssuedKey }) {
  const host = useFieldHost();
  return (
    <Box sx={{ mb: 2 }}>
      <Alert severity="warning" sx={{ mb: 2 }}>
        The key is shown only now. Copy it; older keys work until they end or are revoked.
      </Alert>
      <CopyText text={issued.key} label="key" id="issued-key" />
      {issued.grants.includes('send') && (
        <>
          <Typography sx={{ mt: 2, mb: 1 }}>One line that holds all a sender needs:</Typography>
          <CopyText text={reachable(issued.address, host)} label="address" id="issued-address" />
          {issued.mqtt_address !== undefined && (
            <Box sx={{ mt: 1 }}>
              <CopyText
                text={reachable(issued.mqtt_address, host)}
                label="MQTT address"
                id="issued-mqtt-address"
              />
            </Box>
          )}
        </>
      )}
    </Box>
  );
}
