import Box from '@mui/material/Box';
import type { Callout } from '../../api/schema';
import { STATES } from './words';

const COLORS: Partial<Record<Callout['state'], string>> = { failed: 'error.main', uncertain: 'warning.main' };

/** How far a message is; what somebody has to look at stands out. */
export function CalloutState({ state }: { state: Callout['state'] }) {
  const color = COLORS[state];
  return (
    <Box component="span" sx={color === undefined ? {} : { color, fontWeight: 650 }}>
      {STATES[state]}
    </Box>
  );
}
