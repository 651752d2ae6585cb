import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';
import type { DeviceNow, SignalNow } from '../../api/schema';
import { Age } from '../../components/Age';
import { Lamp } from '../../components/Lamp';
import { TraceLine } from '../../components/TraceLine';
import { useServiceNow } from '../../format/clock';
import { change, shown, withUnit } from '../../format/number';
import { shortTime } from '../../format/time';

/** Values shown on a card. */
const LEADING = 3;

export function LampCard({ device, site, zone }: { device: DeviceNow; site: string; zone: string }) {
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
        height: 264,
        minWidth: 0,
        border: 1,
        borderColor: 'divider',
        borderRadius: 1,
        bgcolor: 'background.paper',
        '&:hover': { borderColor: 'primary.main' },
        '&.Mui-focusVisible': { outline: '2px solid', outlineColor: 'primary.main' },
      }}
    >
      <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center', minWidth: 0 }}>
        <Lamp
          presence={device.presence}
          beat={device.signals.map((s) => s.last?.at).join()}
          trial={device.state === 'trial'}
        />
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h3" component="h2" noWrap title={device.name}>
            {device.name}
          </Typography>
          <Typography variant="body2" color="textSecondary" noWrap>
            <State device={device} zone={zone} />
          </Typography>
        </Box>
      </Box>
      <Box sx={{ flex: 1, display: 'flex', flexDirection: 'column', gap: 0.25, minHeight: 0 }}>
        {device.signals.slice(0, LEADING).map((signal) => (
          <Leading key={signal.signal} signal={signal} zone={zone} />
        ))}
        {device.signals.length > LEADING && (
          <Typography variant="body2" color="textSecondary">
            and {device.signals.length - LEADING} more
          </Typography>
        )}
        {device.signals.length === 0 && (
          <Typography variant="body2" color="textSecondary">
            no signals declared
          </Typography>
        )}
      </Box>
      <TraceLine trace={device.trace} symbol={traced?.symbol ?? ''} decimals={traced?.decimals ?? 2} />
    </ButtonBase>
  );
}

function State({ device, zone }: { device: DeviceNow; zone: string }) {
  const now = useServiceNow();
  const trial = device.state === 'trial' ? ', in trial' : '';
  if (device.presence === 'never') return <>never heard{trial}</>;
  if (device.presence === 'fresh') return <>fresh{trial}</>;
  return (
    <>
      {device.presence} since {shortTime(device.since ?? '', zone, now)}
      {trial}
    </>
  );
}

function Leading({ signal, zone }: { signal: SignalNow; zone: string }) {
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
        {withUnit(shown(signal.last?.value, signal.decimals), signal.symbol)}
      </Typography>
      <Typography
        variant="body2"
        color="textSecondary"
        sx={{ gridColumn: '1 / -1', textAlign: 'right', mt: -0.5, fontSize: 13, lineHeight: 1.2 }}
      >
        {signal.last && <Age at={signal.last.at} zone={zone} />}
      </Typography>
    </Box>
  );
}
