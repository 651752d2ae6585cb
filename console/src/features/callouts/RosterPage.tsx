import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import { rosters } from '../../api/calloutQueries';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { NotFound } from '../../components/NotFound';
import { AlarmTabs } from '../alarms/AlarmTabs';
import { RosterForm } from './RosterForm';
import { RosterTest } from './RosterTest';

/** A roster that is made or changed. */
export function RosterPage() {
  const site = useSite();
  const { roster: code } = useParams();
  const { data, error, refetch } = useQuery({ ...rosters(site.code), enabled: code !== undefined });
  const found = data?.find((one) => one.code === code);
  if (code !== undefined) {
    if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
    if (!data) return <Loading height={320} />;
    if (!found) return <NotFound />;
  }
  const title = found ? (found.roster?.name ?? found.code) : 'A new roster';
  return (
    <>
      <PageHeading gutterBottom title={title}>
        {title}
      </PageHeading>
      <AlarmTabs />
      {found?.damaged !== undefined && <ProblemAlert error={new Error(found.damaged)} />}
      {found && <RosterTest code={found.code} roster={found} />}
      <RosterForm key={code ?? ''} {...(found && { code: found.code, roster: found.roster })} />
    </>
  );
}
