import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Typography from '@mui/material/Typography';
import { memo } from 'react';
import { Link } from 'react-router';
import type { DeviceNow, SignalNow } from '../../api/schema';
import { TraceLine } from '../../components/TraceLine';
import { change } from '../../format/number';
import { LinkWords, LiveAge, LiveLamp, LiveValue, Reasons } from './parts';

/** Values shown on a card. */
const LEADING = 3;

/** Height of a card, in pixels. */
export const CARD_HEIGHT = 296;

/** A device on a card. What changes with each reading renders by itself. */
export const LampCard = memo(function LampCard({ device, site }: { device: DeviceNow; site: string }) {
  const traced = device.signals.find((signal) => signal.signal === device.trace?.signal);
  return (
    <ButtonBase
      component={Link}
      to={`/sites/${site}/devices/${device.device}`}
      data-device={device.device}
      sx={{
        display: 'flex',
        flexDirection: 'column',
        alignItems: 'stretch',
        textAlign: 'left',
        p: 2,
        gap: 1,
        height: CARD_HEIGHT,
        minWidth: 0,
        border: 1,
        borderColor: 'divider',
        borderRadius: 1,
        bgcolor: 'background.paper',
        '&:hover': { borderColor: 'primary.main' },
        '&.Mui-focusVisible': { outline: '2px solid', outlineColor: 'primary.main' },
      }}
    >
      <Box
        sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start', minWidth: 0, height: 60, flex: 'none' }}
      >
        <LiveLamp device={device} />
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h3" component="h2" noWrap title={device.name}>
            {device.name}
          </Typography>
          <Reasons device={device} lines={2} />
        </Box>
      </Box>
      <Box sx={{ flex: 1, display: 'flex', flexDirection: 'column', gap: 0.25, minHeight: 0 }}>
        {device.signals.slice(0, LEADING).map((signal) => (
          <Leading key={signal.signal} device={device.device} signal={signal} />
        ))}
        {device.signals.length === 0 && <WithoutSignals device={device} />}
      </Box>
      {device.signals.length > 0 && (
        <TraceLine trace={device.trace} symbol={traced?.symbol ?? ''} decimals={traced?.decimals ?? 2} />
      )}
      <Box sx={{ display: 'flex', gap: 1, justifyContent: 'space-between' }}>
        <LinkWords device={device} />
        {device.signals.length > LEADING && (
          <Typography variant="body2" color="textSecondary" sx={{ flex: 'none', fontSize: 13 }}>
            {device.signals.length - LEADING} more
          </Typography>
        )}
      </Box>
    </ButtonBase>
  );
});

/** A gateway shows what it carries. */
function WithoutSignals({ device }: { device: DeviceNow }) {
  if (!device.carries) {
    return (
      <Typography variant="body2" color="textSecondary">
        no signals declared
      </Typography>
    );
  }
  const { devices, fresh } = device.carries;
  return (
    <>
      <Typography sx={{ fontSize: 18, fontWeight: 600 }}>
        carries {devices} {devices === 1 ? 'device' : 'devices'}
      </Typography>
      <Typography variant="body2" color="textSecondary">
        {fresh === devices ? 'all fresh' : `${fresh} fresh, ${devices - fresh} not`}
      </Typography>
    </>
  );
}

const Leading = memo(function Leading({ device, signal }: { device: string; signal: SignalNow }) {
  const { text, words } = change(signal.trend, signal.symbol);
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: 'minmax(0, 1fr) auto',
        columnGap: 1,
        alignItems: 'baseline',
      }}
    >
      <Typography variant="body2" color="textSecondary" noWrap title={`${signal.name}: ${words}`}>
        {signal.name} {text}
      </Typography>
      <Typography
        component="span"
        sx={{
          fontSize: 18,
          fontWeight: 600,
          whiteSpace: 'nowrap',
          maxWidth: 180,
          overflow: 'hidden',
          textOverflow: 'ellipsis',
        }}
      >
        <LiveValue device={device} signal={signal} />
      </Typography>
      <Typography
        variant="body2"
        color="textSecondary"
        sx={{
          gridColumn: '1 / -1',
          textAlign: 'right',
          mt: -0.5,
          fontSize: 13,
          lineHeight: 1.2,
          minHeight: 16,
        }}
      >
        <LiveAge device={device} signal={signal} />
      </Typography>
    </Box>
  );
});
