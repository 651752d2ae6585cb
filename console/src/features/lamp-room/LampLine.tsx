import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Typography from '@mui/material/Typography';
import { memo } from 'react';
import { Link } from 'react-router';
import type { DeviceNow } from '../../api/schema';
import { TraceLine } from '../../components/TraceLine';
import { LinkWords, LiveAge, LiveLamp, LiveValue, Reasons } from './parts';

/** Height of a line, in pixels. */
export const LINE_HEIGHT = 64;

/** A device in one line: its lamp, how it is doing and why, its first value. */
export const LampLine = memo(function LampLine({ device, site }: { device: DeviceNow; site: string }) {
  const leading =
    device.signals.find((signal) => signal.signal === device.trace?.signal) ?? device.signals[0];
  return (
    <ButtonBase
      component={Link}
      to={`/sites/${site}/devices/${device.device}`}
      data-device={device.device}
      sx={{
        display: 'grid',
        gridTemplateColumns: {
          xs: '32px minmax(0, 1fr) auto',
          md: '32px minmax(0, 5fr) minmax(0, 3fr) 160px 140px',
        },
        columnGap: 1.5,
        width: '100%',
        height: LINE_HEIGHT,
        px: 1.5,
        textAlign: 'left',
        borderBottom: 1,
        borderColor: 'divider',
        bgcolor: 'background.paper',
        '&:hover': { bgcolor: 'action.hover' },
        '&.Mui-focusVisible': { outline: '2px solid', outlineColor: 'primary.main', outlineOffset: -2 },
      }}
    >
      <LiveLamp device={device} />
      <Box sx={{ minWidth: 0 }}>
        <Typography component="h2" noWrap title={device.name} sx={{ fontWeight: 600 }}>
          {device.name}
        </Typography>
        <Reasons device={device} lines={2} />
      </Box>
      <Box sx={{ minWidth: 0, display: { xs: 'none', md: 'block' } }}>
        {device.carries && (
          <Typography variant="body2" color="textSecondary" noWrap>
            carries {device.carries.devices}, {device.carries.fresh} fresh
          </Typography>
        )}
        <LinkWords device={device} />
      </Box>
      <Box sx={{ display: { xs: 'none', md: 'block' } }}>
        {device.trace && (
          <TraceLine trace={device.trace} symbol={leading?.symbol ?? ''} decimals={leading?.decimals ?? 2} />
        )}
      </Box>
      <Box sx={{ textAlign: 'right', minWidth: 0, maxWidth: { xs: 130, md: 140 } }}>
        {leading && (
          <>
            <Typography noWrap title={leading.name} sx={{ fontWeight: 600 }}>
              <LiveValue device={device.device} signal={leading} />
            </Typography>
            <Typography variant="body2" color="textSecondary" noWrap sx={{ fontSize: 13 }}>
              <LiveAge device={device.device} signal={leading} />
            </Typography>
          </>
        )}
      </Box>
    </ButtonBase>
  );
});
