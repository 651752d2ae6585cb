import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { pastAlarms } from '../../api/alarmQueries';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTable } from './AlarmTable';
import { AlarmTabs } from './AlarmTabs';

/** All alarms there were, the last raised first. */
export function AlarmHistoryPage() {
  const site = useSite();
  const [pages, setPages] = useState<string[]>([]);
  const { data, error, refetch } = useQuery(pastAlarms(site.code, pages.at(-1)));
  return (
    <>
      <PageHeading gutterBottom>History of alarms</PageHeading>
      <AlarmTabs />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.items.length === 0 && pages.length === 0 && (
        <Empty title="No alarm yet">Each alarm is kept here with what happened to it.</Empty>
      )}
      {data && data.items.length > 0 && <AlarmTable alarms={data.items} />}
      {pages.length > 0 && <Button onClick={() => setPages((old) => old.slice(0, -1))}>Later alarms</Button>}
      {data?.next !== undefined && (
        <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>Earlier alarms</Button>
      )}
    </>
  );
}
