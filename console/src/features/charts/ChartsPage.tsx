import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { siteNow } from '../../api/queries';
import type { DeviceNow } from '../../api/schema';
import { Chart } from '../../chart/Chart';
import { drawnAmong } from '../../chart/drawn';
import { SpanControls } from '../../chart/SpanControls';
import { useHistory } from '../../chart/useHistory';
import { useSame } from '../../chart/useSame';
import { useView } from '../../chart/useView';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { readSignals, writeSignals } from './chosen';
import { SignalsField } from './SignalsField';

/** Any signals of any devices over one time. The address holds the whole view. */
export function ChartsPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(siteNow(site.code));
  return (
    <>
      <PageHeading gutterBottom>Charts</PageHeading>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={240} />}
      {data && <Charts devices={data} />}
    </>
  );
}

function Charts({ devices }: { devices: DeviceNow[] }) {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const { shown, units, onShow, onZoom, onUnit } = useView();
  const wanted = readSignals(params);
  const signals = useSame(drawnAmong(devices, wanted, units));
  const history = useHistory(site.code, signals, shown);
  const choose = (next: string[]) =>
    setParams((old) => writeSignals(old, next), { replace: true, preventScrollReset: true });
  return (
    <>
      <SignalsField devices={devices} value={wanted} onChange={choose} />
      {signals.length === 0 ? (
        <Empty title="No signal is chosen yet">
          Choose signals of any devices above. Those of one unit share a pane, and all panes share the time.
        </Empty>
      ) : (
        <>
          <SpanControls shown={shown} span={history.span} zone={site.zone} onShow={onShow} />
          <Chart signals={signals} history={history} onZoom={onZoom} onUnit={onUnit} />
        </>
      )}
    </>
  );
}
