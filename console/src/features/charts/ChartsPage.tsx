import Stack from '@mui/material/Stack';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { siteNow } from '../../api/queries';
import type { DeviceNow } from '../../api/schema';
import { drawnAmong } from '../../chart/drawn';
import { useSame } from '../../chart/useSame';
import { useSteady } from '../../chart/useSteady';
import { HistoryView } from '../history/HistoryView';
import { useView } from '../../chart/useView';
import { LookTabs } from '../../components/LookTabs';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { readSignals, writeSignals } from './chosen';
import { SignalsField } from './SignalsField';
import { ViewsMenu } from './ViewsMenu';

/** Any signals of any devices over one time. The address holds the whole view. */
export function ChartsPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(siteNow(site.code));
  return (
    <>
      <PageHeading gutterBottom>Charts</PageHeading>
      <LookTabs />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={240} />}
      {data && <Charts devices={data} />}
    </>
  );
}

function Charts({ devices }: { devices: DeviceNow[] }) {
  const [params, setParams] = useSearchParams();
  const view = useView();
  const wanted = useSame(readSignals(params));
  const signals = useSame(drawnAmong(devices, wanted, view.units));
  const choose = useSteady((next: string[]) =>
    setParams((old) => writeSignals(old, next), { replace: true, preventScrollReset: true }),
  );
  return (
    <>
      <Stack direction="row" spacing={2} sx={{ alignItems: 'start', mb: 2 }}>
        <SignalsField devices={devices} value={wanted} onChange={choose} />
        <ViewsMenu />
      </Stack>
      {signals.length === 0 ? (
        <Empty title="No signal is chosen yet">
          Choose signals of any devices above. Those of one unit share a pane, and all panes share the time.
        </Empty>
      ) : (
        <HistoryView signals={signals} view={view} />
      )}
    </>
  );
}
