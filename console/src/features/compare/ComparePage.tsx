import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { comparison, signalPath, siteNow } from '../../api/queries';
import type { Compared, Comparison, Meaning } from '../../api/types';
import { Plot } from '../../components/Plot';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { withUnit, worked } from '../../format/number';
import { Scatter } from './Scatter';
import { inSentence } from './sentence';

const DAYS = [1, 2, 7, 14] as const;

/** Sensors of one thing side by side: how they differ, and the line between them. */
export function ComparePage() {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const [reference, other] = [params.get('reference') ?? '', params.get('other') ?? ''];
  const days = Number(params.get('days') ?? 2);
  const shift = Number(params.get('shift') ?? 0);
  const put = (name: string, value: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value === '') next.delete(name);
        else next.set(name, value);
        return next;
      },
      { replace: true },
    );
  // The same for as long as the page is looked at, to the minute.
  const to = Math.floor(serviceNow() / 6e4) * 6e4;
  const query = new URLSearchParams({
    signals: `${reference},${other}`,
    from: new Date(to - days * 864e5).toISOString(),
    to: new Date(to).toISOString(),
    ...(shift === 0 ? {} : { shift_s: String(shift * 86_400) }),
  });
  const isReady = reference !== '' && other !== '';
  const { data, error, isPending } = useQuery({
    ...comparison(site.code, query.toString()),
    enabled: isReady,
  });
  return (
    <>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Compare signals
      </Typography>
      <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap', mb: 3 }}>
        <SignalField label="Reference" value={reference} onChange={(value) => put('reference', value)} />
        <SignalField label="Compared with it" value={other} onChange={(value) => put('other', value)} />
        <TextField
          select
          label="Time"
          value={days}
          onChange={(e) => put('days', e.target.value)}
          slotProps={{ select: { native: true } }}
          sx={{ width: 130 }}
        >
          {DAYS.map((count) => (
            <option key={count} value={count}>
              {count === 1 ? 'last day' : `last ${count} days`}
            </option>
          ))}
        </TextField>
        <TextField
          select
          label="The other from"
          value={shift}
          onChange={(e) => put('shift', e.target.value === '0' ? '' : e.target.value)}
          slotProps={{ select: { native: true } }}
          sx={{ width: 170 }}
        >
          <option value={0}>the same time</option>
          <option value={1}>a day before</option>
          <option value={7}>a week before</option>
        </TextField>
      </Stack>
      {!isReady && (
        <Empty title="Choose two signals">
          Two sensors of one thing, or one sensor at two times: what differs between them is shown here, and
          the line that would make one the other.
        </Empty>
      )}
      {error && <ProblemAlert error={error} />}
      {isReady && isPending && !error && <Loading />}
      {isReady &&
        data &&
        !error &&
        data.others.map((one) => <Result key={one.signal} found={data} other={one} />)}
    </>
  );
}

function SignalField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const site = useSite();
  const { data = [] } = useQuery(siteNow(site.code));
  const names = new Map<string, string>(
    data.flatMap((device) =>
      device.signals
        .filter((signal) => signal.type === 'number')
        .map((signal) => [`${device.device}/${signal.signal}`, `${device.name}: ${signal.name}`] as const),
    ),
  );
  return (
    <Autocomplete
      options={[...names.keys()]}
      value={value === '' ? null : value}
      onChange={(_, chosen) => onChange(chosen ?? '')}
      getOptionLabel={(path) => names.get(path) ?? path}
      renderInput={(input) => <TextField {...input} label={label} />}
      sx={{ width: { xs: '100%', sm: 330 } }}
    />
  );
}

function Result({ found, other }: { found: Comparison; other: Compared }) {
  const { zone } = useSite();
  const figures = other.figures;
  if (!figures) {
    return (
      <Empty title="Too little to compare">
        Of {other.of_reference} readings of the reference {other.pairs} have one of the other beside them.
        Choose a longer time, or signals that were measured at the same time.
      </Empty>
    );
  }
  const unit = found.unit ?? '';
  const amount = (value: number) => withUnit(worked(value), unit);
  const facts: [string, string][] = [
    ['Bias', amount(figures.bias)],
    ['Spread', amount(figures.spread)],
    ['RMS', amount(figures.rms)],
    ['Differences', `${worked(figures.least)} to ${amount(figures.greatest)}`],
    [
      'Correlation',
      figures.correlation === undefined ? 'none: one does not vary' : worked(figures.correlation),
    ],
    ['Lag', lag(figures)],
  ];
  const centre = other.differences.map(({ start_ms, mean }): [number, number] => [start_ms, mean]);
  return (
    <>
      <Typography sx={{ mb: 2 }}>{inSentence(found, other)}</Typography>
      <Box component="dl" sx={{ m: 0, mb: 2, display: 'flex', flexWrap: 'wrap', columnGap: 4, rowGap: 1 }}>
        {facts.map(([name, value]) => (
          <Box key={name}>
            <Box component="dt" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0, fontWeight: 650 }}>
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) 420px' },
        }}
      >
        <Box>
          <Plot
            label={`Difference over time: ${inSentence(found, other)}`}
            title={unit === '' ? 'Difference' : `Difference (${unit})`}
            zone={zone}
            span={{ from: Date.parse(found.from), to: Date.parse(found.to) }}
            lines={[{ name: 'difference', points: centre }]}
            band={other.differences.map(({ start_ms, min, max }) => [start_ms, min, max])}
            height={330}
          />
          <Typography variant="body2" color="textSecondary">
            Pairs are at most {found.tolerance_s} s apart; {other.pairs.toLocaleString('en')} of{' '}
            {other.of_reference.toLocaleString('en')} readings have a partner.
          </Typography>
        </Box>
        <Scatter found={found} other={other} />
      </Box>
      {figures.line && !other.shifted_s && <Offer found={found} other={other} />}
    </>
  );
}

function lag(figures: NonNullable<Compared['figures']>): string {
  const seconds = figures.lag_s;
  if (seconds === undefined) return '—';
  if (seconds === 0) return 'none';
  return `${worked(Math.abs(seconds))} s ${seconds > 0 ? 'behind' : 'ahead'}`;
}

/** Offers the line as a calibration of the other. */
function Offer({ found, other }: { found: Comparison; other: Compared }) {
  const site = useSite();
  const [device = '', signal = ''] = other.signal.split('/');
  const line = other.figures?.line;
  const path = signalPath(site.code, device, signal);
  const save = useMutation({
    mutationFn: async () => {
      // Two points of the line say all there is of it.
      const pairs = [0, 1].map((said) => ({
        said,
        right: (line?.intercept ?? 0) + said * (line?.slope ?? 1),
      }));
      const { meaning } = await api.post<{ meaning: Meaning }>(`${path}/meaning/calibration`, { pairs });
      return api.put(`${path}/meaning`, { meaning });
    },
  });
  if (!line) return null;
  return (
    <Paper sx={{ p: 2, mt: 3 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Calibration
      </Typography>
      <Typography sx={{ mb: 1.5 }}>
        {found.reference} = {worked(line.slope)} × {other.signal} {line.intercept < 0 ? '−' : '+'}{' '}
        {withUnit(worked(Math.abs(line.intercept)), found.unit ?? '')}, give or take{' '}
        {withUnit(worked(line.residual), found.unit ?? '')}. Only right where the reference is.
      </Typography>
      <Button
        variant="outlined"
        loading={save.isPending}
        disabled={save.isSuccess}
        onClick={() => save.mutate()}
      >
        Calibrate {other.signal} by it from now on
      </Button>
      {save.isSuccess && (
        <Typography role="status" sx={{ mt: 1 }}>
          It is the last step of its conversion now. What has been recorded stays until its past is made anew.
        </Typography>
      )}
      {save.error && <ProblemAlert error={save.error} />}
    </Paper>
  );
}
