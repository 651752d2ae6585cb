import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import { Link as RouterLink } from 'react-router';
import type { DeviceNow } from '../../api/schema';
import { Chart } from '../../chart/Chart';
import { drawnOf, keyOf, type Drawn } from '../../chart/drawn';
import { panes } from '../../chart/series';
import { SpanControls } from '../../chart/SpanControls';
import { useHistory } from '../../chart/useHistory';
import { useSame } from '../../chart/useSame';
import { useView } from '../../chart/useView';
import { Empty } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { MOST } from '../charts/chosen';
import { ReadingsTable } from './ReadingsTable';

/** The history of a device: panes stacked by unit, and a table beside them. */
export function HistorySection({ device }: { device: DeviceNow }) {
  const site = useSite();
  const { shown, units, onShow, onZoom, onUnit } = useView();
  const signals = useSame(drawnOf(device, units));
  const history = useHistory(site.code, signals, shown);
  if (signals.length === 0)
    return <Empty title="Nothing to draw yet">Charts show numbers and flags. Declare a signal below.</Empty>;
  const { span, asked } = history;
  return (
    <>
      <SpanControls shown={shown} span={span} zone={site.zone} onShow={onShow} />
      <Links site={site.code} signals={signals} />
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) 320px' },
        }}
      >
        <Chart signals={signals} history={history} onZoom={onZoom} onUnit={onUnit} />
        <ReadingsTable device={device} span={span} asked={asked} chosen={units} />
      </Box>
    </>
  );
}

/** Beside signals of other devices; and where two sensors measure the same, compared. */
function Links({ site, signals }: { site: string; signals: Drawn[] }) {
  const [first, second] = panes(signals).find((pane) => pane.length > 1 && pane[0]?.type === 'number') ?? [];
  const charts = new URLSearchParams({ signals: signals.slice(0, MOST).map(keyOf).join() });
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 3, mb: 1.5 }}>
      <Link component={RouterLink} to={`/sites/${site}/charts?${charts.toString()}`}>
        Chart with other devices
      </Link>
      {first && second && (
        <Link
          component={RouterLink}
          to={`/sites/${site}/compare?${new URLSearchParams({ reference: keyOf(first), other: keyOf(second) }).toString()}`}
        >
          Compare {first.name} and {second.name}
        </Link>
      )}
    </Box>
  );
}
