import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import { Link as RouterLink } from 'react-router';
import type { DeviceNow } from '../../api/schema';
import { arrange } from '../../chart/arrange';
import { drawnOf, keyOf, type Drawn } from '../../chart/drawn';
import { useSame } from '../../chart/useSame';
import { HistoryView } from '../history/HistoryView';
import { useView } from '../../chart/useView';
import { Empty } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { MOST } from '../charts/chosen';
import { ReadingsTable } from './ReadingsTable';

/** The history of a device: panes stacked by unit, and a table beside them. */
export function HistorySection({ device }: { device: DeviceNow }) {
  const site = useSite();
  const view = useView();
  const signals = useSame(drawnOf(device, view.units));
  if (signals.length === 0)
    return <Empty title="Nothing to draw yet">Charts show numbers and flags. Declare a signal below.</Empty>;
  return (
    <>
      <Links site={site.code} signals={signals} />
      <HistoryView
        signals={signals}
        view={view}
        beside={({ span, asked }) => (
          <ReadingsTable device={device} span={span} asked={asked} chosen={view.units} />
        )}
      />
    </>
  );
}

/** Beside signals of other devices; and where two sensors measure the same, compared. */
function Links({ site, signals }: { site: string; signals: Drawn[] }) {
  const panes = arrange(signals, 'unit', new Map()).map(({ left }) => left);
  const [first, second] = panes.find((pane) => pane.length > 1 && pane[0]?.type === 'number') ?? [];
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
