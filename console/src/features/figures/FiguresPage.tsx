import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { siteNow } from '../../api/queries';
import { figures } from '../../api/pastQueries';
import type { DeviceNow } from '../../api/schema';
import { isDrawn } from '../../format/number';
import { drawnAmong, fullName, keyOf, type Drawn } from '../../chart/drawn';
import { SpanControls } from '../../chart/SpanControls';
import { lengthOf, spanUpTo } from '../../chart/spans';
import { useSame } from '../../chart/useSame';
import { useView } from '../../chart/useView';
import { LookTabs } from '../../components/LookTabs';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { readSignals, writeSignals } from '../charts/chosen';
import { SignalsField } from '../charts/SignalsField';
import {
  LIMITS,
  parseLimit,
  readWanted,
  STRETCHES,
  writeWanted,
  type Limit,
  type Stretch,
  type Wanted,
} from './asked';
import { FiguresTable } from './FiguresTable';
import { HeatMap } from './HeatMap';
import { heatOf } from './heat';

const QUANTILES = [0.05, 0.5, 0.95];

/** What the readings of stretches of time come to. The address holds what is asked. */
export function FiguresPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(siteNow(site.code));
  return (
    <>
      <PageHeading gutterBottom>Figures</PageHeading>
      <LookTabs />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={240} />}
      {data && <FiguresOf devices={data} />}
    </>
  );
}

function FiguresOf({ devices }: { devices: DeviceNow[] }) {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const { shown, units, onShow } = useView();
  const chosen = readSignals(params);
  const signals = useSame(drawnAmong(devices, chosen, units).filter(isDrawn));
  const wanted = readWanted(params);
  const onWanted = (part: Partial<Wanted>) =>
    setParams((old) => writeWanted(old, { ...readWanted(old), ...part }), { replace: true });
  const choose = (next: string[]) => setParams((old) => writeSignals(old, next), { replace: true });
  const span = shown.fixed ?? spanUpTo(shown.id, serviceNow());
  return (
    <>
      <Stack sx={{ mb: 2 }}>
        <SignalsField devices={devices} value={chosen} onChange={choose} />
      </Stack>
      <SpanControls shown={shown} span={span} zone={site.zone} signals={signals} onShow={onShow} />
      <Stack
        direction="row"
        useFlexGap
        spacing={1.5}
        sx={{ flexWrap: 'wrap', alignItems: 'flex-start', mb: 2 }}
      >
        <TextField
          select
          label="Figures"
          value={wanted.by}
          onChange={(event) => onWanted({ by: event.target.value as Stretch })}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          sx={{ width: 176 }}
        >
          {STRETCHES.map(({ id, label }) => (
            <MenuItem key={id} value={id}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        {LIMITS.map((name) => (
          <LimitField
            key={name}
            name={name}
            value={wanted.limits[name] ?? ''}
            onChange={(text) => onWanted({ limits: { ...wanted.limits, [name]: text } })}
          />
        ))}
      </Stack>
      {signals.length === 0 ? (
        <Empty title="No signal is chosen yet">
          Choose signals above: extremes with their times, means, quantiles, hours within limits and integrals
          are worked out of their readings.
        </Empty>
      ) : (
        <Found signals={signals} wanted={wanted} asked={shown.fixed ?? { last: lengthOf(shown.id) }} />
      )}
    </>
  );
}

const LIMIT_LABELS: Record<Limit, string> = {
  above: 'Hours above',
  below: 'Hours below',
  within: 'Hours within',
  base: 'Degree hours from',
};

function LimitField({
  name,
  value,
  onChange,
}: {
  name: Limit;
  value: string;
  onChange: (text: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const isWrong = typed !== null && typed.trim() !== '' && parseLimit(name, typed) === undefined;
  const finish = () => {
    if (typed !== null && !isWrong) onChange(parseLimit(name, typed) ?? '');
    setTyped(null);
  };
  return (
    <TextField
      label={LIMIT_LABELS[name]}
      value={typed ?? value}
      error={isWrong}
      helperText={isWrong ? (name === 'within' ? 'Such as 1..2' : 'A number') : undefined}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => event.key === 'Enter' && finish()}
      sx={{ width: 150 }}
    />
  );
}

type Asked = Parameters<typeof figures>[2];

function Found({ signals, wanted, asked }: { signals: Drawn[]; wanted: Wanted; asked: Asked }) {
  const site = useSite();
  const [isMap, setMap] = useState(false);
  const columns = signals.map((signal) =>
    signal.asked === undefined ? keyOf(signal) : `${keyOf(signal)}:${signal.asked}`,
  );
  const { data, error, refetch } = useQuery(
    figures(site.code, columns, asked, site.zone, {
      by: wanted.by,
      quantiles: QUANTILES,
      limits: wanted.limits,
    }),
  );
  const byHour = useQuery({
    ...figures(site.code, columns, asked, site.zone, { by: 'hour', quantiles: [], limits: {} }),
    enabled: isMap,
  });
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={240} />;
  return (
    <>
      {data.signals.map((found, i) => {
        const signal = signals[i];
        const hours = byHour.data?.signals[i]?.buckets ?? [];
        if (signal === undefined) return null;
        const told = { title: fullName(signal), symbol: signal.symbol, decimals: signal.decimals };
        return (
          <div key={found.signal}>
            <FiguresTable
              {...told}
              found={found}
              quantiles={data.quantiles}
              wanted={wanted}
              zone={site.zone}
            />
            {isMap && hours.length > 0 && <HeatMap {...told} heat={heatOf(hours, site.zone)} />}
          </div>
        );
      })}
      {isMap && byHour.error && <ProblemAlert error={byHour.error} />}
      <Button onClick={() => setMap((old) => !old)} aria-expanded={isMap} sx={{ mt: 2 }}>
        {isMap ? 'Hide days and hours' : 'Show days and hours'}
      </Button>
    </>
  );
}
