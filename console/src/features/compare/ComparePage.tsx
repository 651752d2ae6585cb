import Box from '@mui/material/Box';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { comparison } from '../../api/queries';
import type { Compared, Comparison } from '../../api/schema';
import { PictureView } from '../../chart/svg/PictureView';
import { LookTabs } from '../../components/LookTabs';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { fixed, grouped, withUnit, worked } from '../../format/number';
import { CalibrationOffer } from './CalibrationOffer';
import { differencesPicture } from './pictures';
import { Overlay } from './Overlay';
import { Scatter } from './Scatter';
import { SignalField } from './SignalField';
import { inSentence } from './sentence';

/** What is in the address, and how it is said. What is absent there is the empty text. */
type Choices = readonly (readonly [value: string, says: string])[];

const TIMES: Choices = [
  ['1', 'last day'],
  ['2', 'last 2 days'],
  ['7', 'last 7 days'],
  ['14', 'last 14 days'],
];
const SHIFTS: Choices = [
  ['', 'the same time'],
  ['1', 'a day before'],
  ['7', 'a week before'],
  ['14', 'two weeks before'],
];
const ALIGNMENTS: Choices = [
  ['', 'the nearest reading'],
  ['interpolated', 'the line between two'],
];
const TOLERANCES: Choices = [
  ['', 'as usual'],
  ['1', '1 s'],
  ['10', '10 s'],
  ['60', '1 min'],
  ['300', '5 min'],
  ['3600', '1 h'],
];

/** Sensors of one thing side by side: how they differ, and the line between them. */
export function ComparePage() {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const [reference, other] = [params.get('reference') ?? '', params.get('other') ?? ''];
  const days = Number(params.get('days') ?? 2);
  const shift = Number(params.get('shift') ?? 0);
  const align = params.get('align') ?? '';
  const tolerance = params.get('tolerance') ?? '';
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
    ...(align === '' ? {} : { align }),
    ...(tolerance === '' ? {} : { tolerance_s: tolerance }),
  });
  const isReady = reference !== '' && other !== '';
  const { data, error, isPending, isPlaceholderData } = useQuery({
    ...comparison(site.code, query.toString()),
    enabled: isReady,
  });
  return (
    <>
      <PageHeading sx={{ mb: 2 }}>Compare signals</PageHeading>
      <LookTabs />
      <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap', mb: 3 }}>
        <SignalField label="Reference" value={reference} onChange={(value) => put('reference', value)} />
        <SignalField label="Compared with it" value={other} onChange={(value) => put('other', value)} />
        <Choice
          label="Time"
          value={String(days)}
          choices={TIMES}
          onChange={(value) => put('days', value)}
          width={130}
        />
        <Choice
          label="The other from"
          value={shift === 0 ? '' : String(shift)}
          choices={SHIFTS}
          onChange={(value) => put('shift', value)}
          width={170}
        />
        <Choice
          label="Paired with"
          value={align}
          choices={ALIGNMENTS}
          onChange={(value) => put('align', value)}
          width={220}
        />
        <Choice
          label="At most apart"
          value={tolerance}
          choices={TOLERANCES}
          onChange={(value) => put('tolerance', value)}
          width={150}
        />
      </Stack>
      {!isReady && (
        <Empty title="Choose two signals">
          Two sensors of one thing, or one sensor at two times: what differs between them is shown here, and
          the line that would make one the other.
        </Empty>
      )}
      {error && <ProblemAlert error={error} />}
      {isReady && isPending && !error && <Loading />}
      <Typography role="status" color="text.secondary" sx={{ minHeight: 24 }}>
        {isReady &&
          isPlaceholderData &&
          'What is shown is of the choices before; the new ones are being compared.'}
      </Typography>
      {isReady &&
        data &&
        !error &&
        data.others.map((one) => (
          <Result key={one.signal} found={data} other={one} isOld={isPlaceholderData} />
        ))}
    </>
  );
}

function Choice({
  label,
  value,
  choices,
  onChange,
  width,
}: {
  label: string;
  value: string;
  choices: Choices;
  onChange: (value: string) => void;
  width: number;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
      sx={{ width }}
    >
      {choices.map(([value, says]) => (
        <option key={value} value={value}>
          {says}
        </option>
      ))}
    </TextField>
  );
}

function Result({ found, other, isOld }: { found: Comparison; other: Compared; isOld: boolean }) {
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
  const unit = found.symbol ?? '';
  const difference = (value: number) => fixed(value, figures.decimals);
  const amount = (value: number) => withUnit(difference(value), unit);
  const facts: [string, string][] = [
    ['Bias', amount(figures.bias)],
    ['Spread', amount(figures.spread)],
    ['RMS', amount(figures.rms)],
    ['Differences', `${difference(figures.least)} to ${amount(figures.greatest)}`],
    [
      'Correlation',
      figures.correlation === undefined ? 'none: one does not vary' : worked(figures.correlation),
    ],
    ['Lag', lag(figures)],
  ];
  return (
    <Box aria-busy={isOld} sx={{ opacity: isOld ? 0.55 : 1 }}>
      <Typography sx={{ mb: 2 }}>{inSentence(found, other)}</Typography>
      <Overlay found={found} other={other} />
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
          <PictureView
            picture={differencesPicture(found, other, zone)}
            title={unit === '' ? 'Difference' : `Difference (${unit})`}
            label={`Difference over time: ${inSentence(found, other)}`}
            height={330}
          />
          <Typography variant="body2" color="textSecondary">
            Pairs are at most {found.tolerance_s} s apart; {grouped(other.pairs)} of{' '}
            {grouped(other.of_reference)} readings have a partner.
          </Typography>
        </Box>
        <Scatter found={found} other={other} />
      </Box>
      {figures.line && !other.shifted_s && <CalibrationOffer found={found} other={other} />}
    </Box>
  );
}

function lag(figures: NonNullable<Compared['figures']>): string {
  const seconds = figures.lag_s;
  if (seconds === undefined) return '—';
  if (seconds === 0) return 'none';
  return `${worked(Math.abs(seconds))} s ${seconds > 0 ? 'behind' : 'ahead'}`;
}
