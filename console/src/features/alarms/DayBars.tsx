import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { AlarmFigures } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { everyDay } from './figures';

const HEIGHT = 96;

/** How many alarms there were on each day, as bars. */
export function DayBars({ found }: { found: AlarmFigures }) {
  const { zone } = useSite();
  const dayOf = (at: string) => new Intl.DateTimeFormat('en-CA', { timeZone: zone }).format(Date.parse(at));
  const days = everyDay(found.days, dayOf(found.from), dayOf(found.to));
  const most = Math.max(...days.map(({ count }) => count), 1);
  const [first, last] = [days[0]?.day ?? '', days.at(-1)?.day ?? ''];
  const label = `Alarms of each day from ${first} to ${last}, ${most} at most`;
  return (
    <Box>
      <Box
        role="img"
        aria-label={label}
        sx={{ display: 'flex', alignItems: 'flex-end', gap: days.length > 100 ? 0 : '2px', height: HEIGHT }}
      >
        {days.map(({ day, count }) => (
          <Box
            key={day}
            title={`${day}: ${count}`}
            sx={{
              flex: 1,
              height: count === 0 ? '1px' : `max(3px, ${(count / most) * 100}%)`,
              bgcolor: count === 0 ? 'divider' : 'primary.main',
            }}
          />
        ))}
      </Box>
      <Box sx={{ display: 'flex', justifyContent: 'space-between' }}>
        <Typography variant="body2" color="textSecondary">
          {first}
        </Typography>
        <Typography variant="body2" color="textSecondary">
          at most {most} a day
        </Typography>
        <Typography variant="body2" color="textSecondary">
          {last}
        </Typography>
      </Box>
    </Box>
  );
}
