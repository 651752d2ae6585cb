import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Tab from '@mui/material/Tab';
import Tabs from '@mui/material/Tabs';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { signalPath } from '../../api/queries';
import type { DryRunResult, Meaning, Signal, SignalMeaning, TriedMeaning } from '../../api/schema';
import { LeaveGuard } from '../../components/LeaveGuard';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { shown, withUnit, worthShowing } from '../../format/number';
import { without } from '../../without';
import { ConversionEditor } from './ConversionEditor';
import { DryRun } from './DryRun';
import { FormulaEditor } from './FormulaEditor';
import { ScreenEditor } from './ScreenEditor';
import { NumberField } from './StepFields';
import { causeInWords, tidy } from './words';
import { holdsNaN } from '../../format/entry';
import { May } from '../../components/may';

type Part = 'value' | 'screen';

const LENGTHS = [
  { label: 'day', days: 1 },
  { label: 'week', days: 7 },
  { label: '2 weeks', days: 14 },
] as const;

interface Props {
  device: string;
  signal: Signal;
  said: SignalMeaning;
}

/** What a signal's values mean, tried out while it is written. */
export function MeaningForm({ device, signal, said }: Props) {
  const site = useSite();
  const client = useQueryClient();
  const path = signalPath(site.code, device, signal.code);
  const [params, setParams] = useSearchParams();
  const part: Part = params.get('part') === 'screen' ? 'screen' : 'value';
  const [draft, setDraft] = useState<Meaning>(said.meaning ?? {});
  const [isFormula, setIsFormula] = useState(said.meaning?.formula !== undefined);
  const [raw, setRaw] = useState<number | undefined>(undefined);
  const wanted = tidy(isFormula ? { ...draft, conversion: { steps: [] } } : { ...draft, formula: '' });
  const tried = useTried(path, wanted, raw);
  const save = useMutation({
    mutationFn: () => api.put<SignalMeaning>(`${path}/meaning`, { meaning: wanted }),
    onSuccess: (saved) => client.setQueryData(['meaning', site.code, device, signal.code], saved),
  });
  // A field that holds no number would be dropped on the way, and what it limits with it.
  const isUnreadable = holdsNaN(wanted);
  const isChanged = JSON.stringify(wanted) !== JSON.stringify(said.meaning ?? null);
  const isScreened = signal.type !== 'text';
  return (
    <Paper sx={{ p: 2 }}>
      <Tabs
        value={part}
        onChange={(_, next: Part) => setParams(next === 'value' ? {} : { part: next }, { replace: true })}
        aria-label="What its values mean"
        sx={{ mb: 2 }}
      >
        <Tab value="value" label="Where the value comes from" sx={{ textTransform: 'none' }} />
        {isScreened && (
          <Tab value="screen" label="Which values are believed" sx={{ textTransform: 'none' }} />
        )}
      </Tabs>
      {part === 'value' ? (
        <Box
          sx={{
            display: 'grid',
            gap: 3,
            gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) 340px' },
          }}
        >
          <Stack spacing={2}>
            <ToggleButtonGroup
              exclusive
              size="small"
              value={isFormula}
              onChange={(_, next: boolean | null) => next !== null && setIsFormula(next)}
              aria-label="Where the value comes from"
            >
              <ToggleButton value={false} sx={{ textTransform: 'none' }}>
                Sent, and converted
              </ToggleButton>
              <ToggleButton value={true} sx={{ textTransform: 'none' }}>
                Worked out from others
              </ToggleButton>
            </ToggleButtonGroup>
            {isFormula ? (
              <FormulaEditor
                formula={draft.formula ?? ''}
                onChange={(formula) => setDraft({ ...draft, formula })}
                tried={tried}
              />
            ) : (
              <ConversionEditor
                conversion={draft.conversion ?? { steps: [] }}
                onChange={(conversion) => setDraft({ ...draft, conversion })}
                tried={tried}
              />
            )}
          </Stack>
          <Preview
            signal={signal}
            tried={tried}
            raw={isFormula ? undefined : { value: raw, onChange: setRaw }}
            within={draft.others_within_s}
            onWithin={(seconds) =>
              setDraft(
                seconds === undefined
                  ? without(draft, 'others_within_s')
                  : { ...draft, others_within_s: seconds },
              )
            }
          />
        </Box>
      ) : (
        <ScreenEditor
          screen={draft.screen ?? {}}
          onChange={(screen) => setDraft({ ...draft, screen })}
          type={signal.type}
          symbol={signal.symbol}
        />
      )}
      <LeaveGuard when={isChanged && !save.isPending} />
      <Past path={path} wanted={wanted} signal={signal} />
      {save.error && <ProblemAlert error={save.error} />}
      <Stack direction="row" spacing={1.5} sx={{ mt: 2, alignItems: 'center' }}>
        <May right="set_up">
          <Button
            variant="contained"
            disabled={!isChanged || isUnreadable || (tried?.wrong !== undefined && wanted !== null)}
            loading={save.isPending}
            onClick={() => save.mutate()}
          >
            Save
          </Button>
        </May>
        <Typography color="textSecondary">
          {isUnreadable
            ? 'A field here or on the other tab holds no number.'
            : isChanged
              ? 'Not saved yet.'
              : said.version === 0
                ? 'Nothing is said yet.'
                : `Version ${said.version} holds.`}
        </Typography>
      </Stack>
    </Paper>
  );
}

/** What the service makes of a meaning, asked for again as it is written. */
function useTried(path: string, meaning: Meaning | null, raw: number | undefined): TriedMeaning | undefined {
  const body = useDeferredValue(
    JSON.stringify({ meaning: meaning ?? {}, ...(raw === undefined ? {} : { raw }) }),
  );
  const { data } = useQuery({
    queryKey: ['tried-meaning', path, body],
    queryFn: () => api.post<TriedMeaning>(`${path}/meaning/preview`, JSON.parse(body) as unknown),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return data;
}

interface PreviewProps {
  signal: Signal;
  tried: TriedMeaning | undefined;
  raw: { value: number | undefined; onChange: (raw: number | undefined) => void } | undefined;
  within: number | undefined;
  onWithin: (seconds: number | undefined) => void;
}

function Preview({ signal, tried, raw, within, onWithin }: PreviewProps) {
  const value = tried?.wrong ? undefined : tried?.value;
  const decimals = typeof value === 'number' ? worthShowing(value) : 0;
  return (
    <Paper
      sx={{ p: 2, alignSelf: 'start', bgcolor: 'background.default' }}
      component="section"
      aria-label="Preview"
    >
      <Stack spacing={1.5}>
        {raw && (
          <NumberField
            label="What is sent"
            value={raw.value ?? tried?.raw}
            onChange={raw.onChange}
            helperText={
              raw.value === undefined ? 'The last that was; type another to try it.' : 'Typed to try it.'
            }
            width="100%"
          />
        )}
        <Box role="status">
          <Typography color="textSecondary">{signal.name} would be</Typography>
          <Typography sx={{ fontSize: 34, lineHeight: 1.2 }}>
            {withUnit(shown(value, decimals), signal.symbol)}
          </Typography>
          <Typography sx={{ minHeight: 24, color: 'warning.main' }}>
            {tried?.quality ? `${tried.quality}: ${causeInWords(tried.cause)}` : ''}
          </Typography>
        </Box>
        {tried?.wrong && tried.wrong.step === undefined && tried.wrong.character === undefined && (
          <Typography sx={{ color: 'error.main' }}>{tried.wrong.detail}</Typography>
        )}
        {(tried?.others ?? []).map((other) => (
          <Typography key={other.signal} variant="body2" color="textSecondary">
            {other.signal}: {withUnit(shown(other.value, 2), other.symbol ?? '')}
            {other.is_too_old ? ', too old to count' : ''}
          </Typography>
        ))}
        {(tried?.others ?? []).length > 0 && (
          <NumberField
            label="Others count for (s)"
            value={within}
            onChange={onWithin}
            helperText="300 if left empty"
            width="100%"
          />
        )}
        {tried?.remembers && (
          <Typography variant="body2" color="textSecondary">
            It remembers what came before, so one value alone does not tell all.
          </Typography>
        )}
      </Stack>
    </Paper>
  );
}

/** What it would make of the readings there are. */
function Past({ path, wanted, signal }: { path: string; wanted: Meaning | null; signal: Signal }) {
  const site = useSite();
  const [days, setDays] = useState(7);
  const run = useMutation({
    mutationFn: () =>
      api.post<DryRunResult>(`${path}/meaning/dry-run`, {
        meaning: wanted ?? {},
        from: new Date(serviceNow() - days * 864e5).toISOString(),
      }),
  });
  return (
    <Box sx={{ mt: 3 }}>
      <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap', alignItems: 'center', mb: 1 }}>
        <Button variant="outlined" loading={run.isPending} onClick={() => run.mutate()}>
          Try it on the last
        </Button>
        <TextField
          select
          label="Time"
          value={days}
          onChange={(e) => setDays(Number(e.target.value))}
          slotProps={{ select: { native: true } }}
          sx={{ width: 110 }}
        >
          {LENGTHS.map(({ label, days }) => (
            <option key={days} value={days}>
              {label}
            </option>
          ))}
        </TextField>
        <Typography color="textSecondary">Nothing is changed by trying.</Typography>
      </Stack>
      {run.error && <ProblemAlert error={run.error} />}
      {run.data && <DryRun result={run.data} zone={site.zone} symbol={signal.symbol} />}
    </Box>
  );
}
