import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { rosters } from '../../api/calloutQueries';
import type { SiteRoster } from '../../api/schema';
import { May } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTabs } from '../alarms/AlarmTabs';
import { passingOnInWords, planInWords } from './words';

/** Who is called for alarms, when, and in which order. */
export function RostersPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(rosters(site.code));
  return (
    <>
      <PageHeading gutterBottom>Rosters</PageHeading>
      <AlarmTabs />
      <May right="manage">
        <Button
          component={RouterLink}
          to={`/sites/${site.code}/alarms/rosters/new`}
          variant="contained"
          sx={{ mb: 2 }}
        >
          Make a roster
        </Button>
      </May>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.length === 0 && (
        <Empty title="Nobody is called yet">
          A roster says who is called for an alarm, by mail, by text message or by a program, and who is
          called next if nobody answers.
        </Empty>
      )}
      <Stack spacing={2} sx={{ maxWidth: 860 }}>
        {data?.map((one) => (
          <Card key={one.code} roster={one} />
        ))}
      </Stack>
    </>
  );
}

function Card({ roster: one }: { roster: SiteRoster }) {
  const { code } = useSite();
  const { roster } = one;
  return (
    <Paper sx={{ p: 3 }}>
      <Stack spacing={1}>
        <Typography variant="h2">
          <Link component={RouterLink} to={`/sites/${code}/alarms/rosters/${one.code}`}>
            {roster?.name ?? one.code}
          </Link>
        </Typography>
        {one.damaged !== undefined && <Alert severity="error">{one.damaged}</Alert>}
        {roster && (
          <>
            <Typography sx={{ overflowWrap: 'anywhere' }}>
              {one.on_duty.length === 0
                ? 'Nobody is called now.'
                : `Called now: ${one.on_duty.join(', then ')}.`}
            </Typography>
            <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: 'anywhere' }}>
              For {roster.least ?? 'medium'} alarms and worse. {planInWords(roster)}.{' '}
              {passingOnInWords(roster)}.
            </Typography>
          </>
        )}
        {one.troubles.map((trouble) => (
          <Alert key={trouble} severity="warning">
            {trouble}
          </Alert>
        ))}
      </Stack>
    </Paper>
  );
}
