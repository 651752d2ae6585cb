import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { openAlarms } from '../../api/alarmQueries';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { SeverityMark } from './SeverityMark';
import { inOrder, STATES } from './words';

/** What is wrong with a device and its signals now, each with the way to its alarm; nothing if all is well. */
export function DeviceAlarms({ device }: { device: string }) {
  const site = useSite();
  const { data = [] } = useQuery(openAlarms(site.code));
  const alarms = inOrder(data.filter((alarm) => alarm.device === device));
  if (alarms.length === 0) return null;
  return (
    <Paper component="section" aria-label="Alarms of this device" sx={{ p: 2, mb: 3 }}>
      <Stack component="ul" spacing={1} sx={{ listStyle: 'none', m: 0, p: 0 }}>
        {alarms.map((alarm) => (
          <Stack
            component="li"
            key={alarm.id}
            direction="row"
            useFlexGap
            spacing={1.5}
            sx={{ alignItems: 'center', flexWrap: 'wrap' }}
          >
            <SeverityMark severity={alarm.severity} />
            <Link
              component={RouterLink}
              to={`/sites/${site.code}/alarms/${alarm.id}`}
              sx={{ fontWeight: 600 }}
            >
              {alarm.name}
            </Link>
            <Typography color="textSecondary">
              {alarm.signal === undefined ? '' : `${alarm.signal}, `}since{' '}
              {dateTime(alarm.raised_at, site.zone)}: {STATES[alarm.state] ?? alarm.state}
            </Typography>
          </Stack>
        ))}
      </Stack>
    </Paper>
  );
}
