import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { callouts } from '../../api/calloutQueries';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTabs } from '../alarms/AlarmTabs';
import { CalloutTable } from './CalloutTable';

/** Messages that called people, and what became of each. */
export function CalloutsPage() {
  const site = useSite();
  const [pages, setPages] = useState<string[]>([]);
  const { data, error, refetch } = useQuery(callouts(site.code, pages.at(-1)));
  return (
    <>
      <PageHeading gutterBottom>Callouts</PageHeading>
      <AlarmTabs />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.items.length === 0 && pages.length === 0 && (
        <Empty title="Nobody was called">
          Each message that calls somebody stands here, with what the server said to it. Who is called is said
          under Rosters.
        </Empty>
      )}
      {data && data.items.length > 0 && <CalloutTable callouts={data.items} />}
      {pages.length > 0 && (
        <Button onClick={() => setPages((old) => old.slice(0, -1))}>Later callouts</Button>
      )}
      {data?.next !== undefined && (
        <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>Earlier callouts</Button>
      )}
    </>
  );
}
