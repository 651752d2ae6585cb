import Typography from '@mui/material/Typography';
import { memo } from 'react';
import type { DeviceNow, LinkValue, SignalNow } from '../../api/schema';
import { useBeat, useLast, useStanding } from '../../api/useLive';
import { Age } from '../../components/Age';
import { Lamp } from '../../components/Lamp';
import { useSite } from '../../components/siteContext';
import { useServiceNow } from '../../format/clock';
import { decimalsIn, shown, withUnit } from '../../format/number';
import { shortTime } from '../../format/time';
import { reasons } from './reasons';

/** The lamp of a device as it is now. */
export const LiveLamp = memo(function LiveLamp({ device, size }: { device: DeviceNow; size?: number }) {
  const { presence } = useStanding(device);
  const beat = useBeat(device.device);
  return (
    <Lamp
      presence={presence}
      beat={beat}
      trial={device.state === 'trial'}
      {...(size === undefined ? {} : { size })}
    />
  );
});

/** How a device is doing, in words. */
export const Reasons = memo(function Reasons({ device, lines }: { device: DeviceNow; lines: number }) {
  const { zone } = useSite();
  const now = useServiceNow();
  const text = reasons(device, useStanding(device), zone, now).join(', ');
  return (
    <Typography
      variant="body2"
      color="textSecondary"
      title={text}
      sx={{
        display: '-webkit-box',
        WebkitBoxOrient: 'vertical',
        WebkitLineClamp: lines,
        overflow: 'hidden',
        lineHeight: 1.3,
      }}
    >
      {text}
    </Typography>
  );
});

/** The last value of a signal with its unit. */
export const LiveValue = memo(function LiveValue({ device, signal }: { device: string; signal: SignalNow }) {
  const { last, decimals } = useLast(device, signal);
  return <>{withUnit(shown(last?.value, decimals), signal.symbol)}</>;
});

/** How old the last value of a signal is. */
export const LiveAge = memo(function LiveAge({ device, signal }: { device: string; signal: SignalNow }) {
  const { zone } = useSite();
  const { last } = useLast(device, signal);
  return last ? <Age at={last.at} zone={zone} /> : null;
});

const linked = (name: string, value: LinkValue | undefined): string[] =>
  value
    ? [`${name} ${withUnit(shown(value.value, Math.min(2, decimalsIn(value.value))), value.symbol)}`]
    : [];

/** Battery, link and connection of a device, if it has any, and what it carries. */
export const LinkWords = memo(function LinkWords({ device }: { device: DeviceNow }) {
  const { zone } = useSite();
  const { connection } = useStanding(device);
  const now = useServiceNow();
  const line =
    connection &&
    (connection.is_up ? 'connected' : `not connected since ${shortTime(connection.since, zone, now)}`);
  const words = [...linked('battery', device.battery), ...linked('link', device.link), line ?? []].flat();
  const text = words.join(' · ');
  return (
    <Typography
      variant="body2"
      color="textSecondary"
      noWrap
      title={text}
      sx={{ minHeight: 20, fontSize: 13, lineHeight: '20px' }}
    >
      {text}
    </Typography>
  );
});
