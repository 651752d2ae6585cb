import Box from '@mui/material/Box';
import { useTheme } from '@mui/material/styles';
import type { Link } from '../../api/schema';
import { dateTime } from '../../format/time';

const HOUR = 3_600_000;
const WIDTH = 6;
const GAP = 1;
const HEIGHT = 26;

/**
 * The part of the messages that came, hour by hour: a full bar is all of them, and
 * what is missing at its top is what was lost. Hours without a message are a dot.
 */
export function HourBars({ hours, now, zone }: { hours: Link['hours']; now: number; zone: string }) {
  const theme = useTheme();
  const first = Math.floor(now / HOUR) - 23;
  const places = Array.from({ length: 24 }, (_, place) => {
    const from = (first + place) * HOUR;
    return { from, hour: hours.find((hour) => Date.parse(hour.from) === from) };
  });
  const ratios = hours.map((hour) => hour.delivery_ratio ?? 1);
  const least = ratios.length === 0 ? 1 : Math.min(...ratios);
  return (
    <Box
      component="svg"
      role="img"
      aria-label={
        hours.length === 0
          ? 'No message in 24 hours'
          : `Delivered by hour: at least ${(least * 100).toFixed(0)} % in each`
      }
      viewBox={`0 0 ${24 * (WIDTH + GAP)} ${HEIGHT}`}
      sx={{ width: 24 * (WIDTH + GAP), height: HEIGHT, display: 'block' }}
    >
      {places.map(({ from, hour }, place) => {
        const x = place * (WIDTH + GAP);
        const at = dateTime(new Date(from).toISOString(), zone);
        if (hour === undefined)
          return (
            <circle key={from} cx={x + WIDTH / 2} cy={HEIGHT - 2} r={1} fill={theme.palette.text.secondary}>
              <title>{`${at}: no message`}</title>
            </circle>
          );
        const ratio = hour.delivery_ratio ?? 1;
        const came = Math.max(1, ratio * HEIGHT);
        return (
          <g key={from}>
            <title>{`${at}: ${hour.received} came, ${hour.lost} lost, ${hour.repeated} again`}</title>
            <rect x={x} y={0} width={WIDTH} height={HEIGHT} fill={theme.palette.divider} />
            <rect
              x={x}
              y={HEIGHT - came}
              width={WIDTH}
              height={came}
              fill={ratio < 0.9 ? theme.palette.primary.main : theme.palette.secondary.main}
            />
          </g>
        );
      })}
    </Box>
  );
}
