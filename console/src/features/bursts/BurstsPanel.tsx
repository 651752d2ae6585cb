import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import ButtonBase from '@mui/material/ButtonBase';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useId, useRef, useState } from 'react';
import { bursts, type Span } from '../../api/pastQueries';
import type { Burst, Extreme } from '../../api/schema';
import { keyOf, type Drawn } from '../../chart/drawn';
import { SignalChoice } from '../../chart/SignalChoice';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { fixed, grouped, withUnit } from '../../format/number';
import { dateTime, fineTime } from '../../format/time';
import { around, lengthOfBurst, shownOf } from './around';
import { useStep } from './useStep';

interface Props {
  /** Those whose samples come in bursts. */
  signals: Drawn[];
  /** The time that is shown now. */
  span: Span;
  zone: string;
  onZoom: (span: Span) => void;
  onClose: () => void;
}

/** The bursts of a waveform with their extremes; each can be looked at, and stepped to from the one before. */
export default function BurstsPanel({ signals, span, zone, onZoom, onClose }: Props) {
  const site = useSite();
  const heading = useId();
  const [key, setKey] = useState('');
  const signal = signals.find((one) => keyOf(one) === key) ?? signals[0];
  // The list stays while its bursts are looked at one by one.
  const [listed, setListed] = useState(span);
  if (signal === undefined) return null;
  const isOther = span.from < listed.from || span.to > listed.to;
  return (
    <Paper component="section" aria-labelledby={heading} sx={{ p: 2.5, alignSelf: 'start' }}>
      <Typography id={heading} variant="h2" gutterBottom>
        Bursts
      </Typography>
      {signals.length > 1 && <SignalChoice signals={signals} value={keyOf(signal)} onChange={setKey} />}
      <Steps site={site.code} signal={signal} span={span} onZoom={onZoom} />
      <List site={site.code} signal={signal} listed={listed} span={span} zone={zone} onZoom={onZoom} />
      <Box sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center', mt: 1 }}>
        <Button size="small" disabled={!isOther} onClick={() => setListed(span)}>
          List the time shown
        </Button>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </Box>
    </Paper>
  );
}

interface StepsProps {
  site: string;
  signal: Drawn;
  span: Span;
  onZoom: (span: Span) => void;
}

function Steps({ site, signal, span, onZoom }: StepsProps) {
  const { said, error, onBack, onNext } = useStep(site, signal, span, onZoom);
  return (
    <>
      <Stack direction="row" spacing={1} sx={{ my: 1 }}>
        <Button variant="outlined" size="small" onClick={onBack}>
          Previous burst
        </Button>
        <Button variant="outlined" size="small" onClick={onNext}>
          Next burst
        </Button>
      </Stack>
      <Typography role="status" variant="body2" color="text.secondary" sx={{ minHeight: 20 }}>
        {said}
      </Typography>
      {error !== undefined && <ProblemAlert error={error} />}
    </>
  );
}

type ListProps = StepsProps & { listed: Span; zone: string };

function List({ site, signal, listed, span, zone, onZoom }: ListProps) {
  const { data, error, refetch } = useQuery(
    bursts(site, signal.device, signal.signal, listed, { unit: signal.asked, newest: true }),
  );
  const shown = data && shownOf(data.items, span);
  const all = useRef<HTMLUListElement>(null);
  const here = useRef<HTMLLIElement>(null);
  useEffect(() => {
    const [list, item] = [all.current, here.current];
    // The list alone moves: the page stays where it is.
    if (list && item) list.scrollTop = item.offsetTop - list.offsetTop - list.clientHeight / 3;
  }, [shown]);
  if (error) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={160} />;
  if (data.items.length === 0) return <Typography>No readings in this time.</Typography>;
  return (
    <>
      <Box
        component="ul"
        ref={all}
        aria-label="Bursts, the last first"
        sx={{ listStyle: 'none', p: 0, m: 0, maxHeight: 420, overflow: 'auto' }}
      >
        {data.items.map((burst) => (
          <Box
            component="li"
            key={burst.from}
            ref={burst === shown ? here : undefined}
            sx={{ borderTop: 1, borderColor: 'divider' }}
          >
            <ButtonBase
              onClick={() => onZoom(around(burst))}
              aria-current={burst === shown ? 'true' : undefined}
              sx={{
                display: 'block',
                width: 1,
                textAlign: 'left',
                py: 1,
                px: 1,
                bgcolor: burst === shown ? 'action.selected' : undefined,
                '&:hover, &:focus-visible': { bgcolor: 'action.hover' },
              }}
            >
              <BurstLine burst={burst} signal={signal} zone={zone} />
            </ButtonBase>
          </Box>
        ))}
      </Box>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
        {data.next === undefined
          ? `${data.items.length} in this time, the last first.`
          : `The last ${data.items.length} of this time. Choose a shorter one for those before.`}
      </Typography>
    </>
  );
}

function BurstLine({ burst, signal, zone }: { burst: Burst; signal: Drawn; zone: string }) {
  const value = (extreme: Extreme | undefined) =>
    extreme === undefined ? '—' : withUnit(fixed(extreme.value, signal.decimals), signal.symbol);
  const at = (extreme: Extreme | undefined) =>
    extreme?.at === undefined ? '' : ` at ${fineTime(extreme.at, zone).split(' ').at(-1)}`;
  const { doubtful, count } = burst;
  return (
    <>
      <Typography component="span" sx={{ display: 'block', fontWeight: 600 }}>
        {dateTime(burst.from, zone)}, {lengthOfBurst(burst)}
      </Typography>
      <Typography component="span" variant="body2" sx={{ display: 'block' }}>
        {doubtful === count
          ? 'Not to be trusted'
          : `${value(burst.min)}${at(burst.min)} to ${value(burst.max)}${at(burst.max)}`}
      </Typography>
      <Typography component="span" variant="body2" color="text.secondary" sx={{ display: 'block' }}>
        {grouped(count)} samples
        {doubtful > 0 && doubtful < count && `, ${grouped(doubtful)} of them doubtful`}
      </Typography>
    </>
  );
}
