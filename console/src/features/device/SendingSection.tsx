import Box from '@mui/material/Box';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { DeviceNow } from '../../api/schema';
import { KeysPanel } from '../sending/KeysPanel';
import { RecipesPanel } from '../sending/RecipesPanel';

/** How this device sends: its keys, and recipes for exactly its signals. */
export function SendingSection({ device }: { device: DeviceNow }) {
  const [secret, setSecret] = useState<string>();
  return (
    <Paper sx={{ p: 2 }}>
      <Typography variant="h3" gutterBottom>
        Keys
      </Typography>
      <KeysPanel
        device={device.device}
        onIssued={(key) => setSecret(key.grants.includes('send') ? key.key : undefined)}
      />
      <Box sx={{ mt: 3 }}>
        <Typography variant="h3" gutterBottom>
          Recipes
        </Typography>
        <RecipesPanel device={device.device} secret={secret} />
      </Box>
    </Paper>
  );
}
