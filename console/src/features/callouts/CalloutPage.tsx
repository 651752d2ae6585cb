import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams } from 'react-router';
import { calloutHistory } from '../../api/calloutQueries';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTabs } from '../alarms/AlarmTabs';
import { Message } from './Message';

/** One message: its words, where it went, and what the server said. */
export function CalloutPage() {
  const site = useSite();
  const { callout = '' } = useParams();
  const { data, error, refetch } = useQuery(calloutHistory(site.code, Number(callout)));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={320} />;
  return (
    <>
      <PageHeading gutterBottom title={data.callout.subject}>
        {data.callout.subject}
      </PageHeading>
      <AlarmTabs />
      <Stack spacing={2} sx={{ maxWidth: 860 }}>
        <Message message={data} />
        {data.alarms.length > 0 && (
          <Stack direction="row" useFlexGap spacing={2} sx={{ flexWrap: 'wrap' }}>
            {data.alarms.map((alarm) => (
              <Link key={alarm} component={RouterLink} to={`/sites/${site.code}/alarms/${alarm}`}>
                Alarm {alarm}
              </Link>
            ))}
          </Stack>
        )}
      </Stack>
    </>
  );
}
