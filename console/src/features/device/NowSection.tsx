import Box from '@mui/material/Box';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { memo } from 'react';
import type { DeviceNow, SignalNow } from '../../api/schema';
import { useLast } from '../../api/useLive';
import { Age } from '../../components/Age';
import { Empty } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { change, shown, withUnit } from '../../format/number';
import { WhyButton } from '../why/WhyButton';

/** The last value of each signal, as large as it matters. */
export function NowSection({ device }: { device: DeviceNow }) {
  const { zone } = useSite();
  if (device.signals.length === 0)
    return <Empty title="No signal yet">Declare what this device measures in the section Signals.</Empty>;
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 2,
        gridTemplateColumns: 'repeat(auto-fill, minmax(min(100%, 220px), 1fr))',
      }}
    >
      {device.signals.map((signal) => (
        <Tile key={signal.signal} device={device.device} signal={signal} zone={zone} />
      ))}
    </Box>
  );
}

const Tile = memo(function Tile({
  device,
  signal,
  zone,
}: {
  device: string;
  signal: SignalNow;
  zone: string;
}) {
  const { text, words } = change(signal.trend, signal.symbol);
  const { last, decimals } = useLast(device, signal);
  const value = shown(last?.value, decimals);
  return (
    <Paper sx={{ p: 2, minWidth: 0 }} data-signal={signal.signal}>
      <Typography color="textSecondary" noWrap title={signal.name}>
        {signal.name}
      </Typography>
      <Typography
        data-value
        noWrap={signal.type !== 'position'}
        title={value}
        sx={
          signal.type === 'position'
            ? { fontSize: 15, lineHeight: '22px', height: 44, overflow: 'hidden', fontWeight: 600 }
            : { fontSize: value.length > 12 ? 18 : 34, lineHeight: '44px', fontWeight: 600 }
        }
      >
        {withUnit(value, signal.symbol)}
      </Typography>
      <Box
        sx={{
          display: 'flex',
          justifyContent: 'space-between',
          gap: 1,
          color: 'text.secondary',
          fontSize: 13,
          minHeight: 20,
        }}
      >
        <span title={words}>{text}</span>
        {last ? (
          <Age at={last.at} zone={zone} />
        ) : (
          <WhyButton device={device} signal={signal.signal} size="small" sx={{ p: 0, minHeight: 20 }}>
            Why no value?
          </WhyButton>
        )}
      </Box>
    </Paper>
  );
});
