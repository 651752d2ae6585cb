import Button from '@mui/material/Button';
import { useTheme } from '@mui/material/styles';
import useMediaQuery from '@mui/material/useMediaQuery';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { siteNow } from '../../api/queries';
import type { DeviceNow } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { LampList } from './LampList';
import { RoomTools, type RoomView } from './RoomTools';
import { byAttention, matching, sentence } from './order';
import { isGrouping, type Grouping } from './rows';
import { May } from '../../components/may';

/** The first page: every device with its lamp, what needs attention first. */
export function LampRoomPage() {
  const site = useSite();
  const { data: devices, error, refetch } = useQuery(siteNow(site.code));
  if (error && !devices) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!devices) return <Loading />;
  if (devices.length > 0) return <Room devices={devices} />;
  const add = (
    <May right="set_up">
      <Button component={Link} to={`/sites/${site.code}/add-device`} variant="contained">
        Add a device
      </Button>
    </May>
  );
  return (
    <>
      <PageHeading sx={{ mb: 3 }}>{site.name}</PageHeading>
      <Empty title="No device yet" action={add}>
        A device is one thing in the field that sends readings. Add the first one: you get its key and a line
        that sends a first reading.
      </Empty>
    </>
  );
}

function Room({ devices }: { devices: DeviceNow[] }) {
  const site = useSite();
  const [view, change] = useRoomView();
  const { words, concern, by, form } = view;
  const ordered = useMemo(() => byAttention(devices), [devices]);
  const found = useMemo(() => matching(ordered, words, concern), [ordered, words, concern]);
  return (
    <>
      <PageHeading sx={{ mb: 2 }} aria-live="polite">
        {sentence(devices, site.zone, serviceNow())}
      </PageHeading>
      <RoomTools devices={devices} site={site.code} view={view} onChange={change} />
      {found.length === 0 ? (
        <Empty
          title="No device fits the filter"
          action={<Button onClick={() => change({ words: '', concern: null })}>Show all</Button>}
        >
          The filter looks in names, codes, kinds, places, states and signals.
        </Empty>
      ) : (
        <LampList devices={found} site={site.code} by={by} form={form} />
      )}
    </>
  );
}

/** What is shown stands in the address, but for the form that is usual on this screen. */
function useRoomView(): [RoomView, (change: Partial<RoomView>) => void] {
  const [params, setParams] = useSearchParams();
  const isNarrow = useMediaQuery(useTheme().breakpoints.down('sm'));
  // The address follows what is typed; it would be too slow to be typed into.
  const [words, setWords] = useState(params.get('filter') ?? '');
  const usual = isNarrow ? 'list' : 'cards';
  const form = params.get('form') ?? usual;
  const by = params.get('by');
  const view: RoomView = {
    words,
    concern: params.get('concern'),
    by: isGrouping(by) ? by : 'none',
    form: form === 'list' ? 'list' : 'cards',
  };
  const change = (changed: Partial<RoomView>) => {
    const next = { ...view, ...changed };
    setWords(next.words);
    const set = (all: URLSearchParams, name: string, value: string | null) =>
      value ? all.set(name, value) : all.delete(name);
    setParams(
      (all) => {
        set(all, 'filter', next.words);
        set(all, 'concern', next.concern);
        set(all, 'by', next.by === ('none' satisfies Grouping) ? null : next.by);
        set(all, 'form', next.form === usual ? null : next.form);
        return all;
      },
      { replace: true },
    );
  };
  return [view, change];
}
