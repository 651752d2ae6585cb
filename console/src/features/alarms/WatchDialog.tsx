import Alert from '@mui/material/Alert';
import Autocomplete from '@mui/material/Autocomplete';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { watchPath } from '../../api/alarmQueries';
import { api } from '../../api/client';
import { siteNow, sitePath } from '../../api/queries';
import type { DeviceNow, Severity, SiteWatch, TriedWatch, Watch, WatchCondition } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { NumberEntry } from '../../components/NumberEntry';
import { RemoveButton } from '../../components/RemoveButton';
import { useSite } from '../../components/siteContext';
import { Tried } from './Tried';
import { aboutOf, CONDITIONS, keepsScope, watchOf, type WatchDraft, canPropose } from './watchDraft';
import { UsualRange } from './UsualRange';
import { onInWords, SEVERITIES } from './words';

/** Something a watch can be on. */
interface Place {
  on: string;
  name: string;
  symbol: string;
  about: 'number' | 'flag' | 'text' | 'any' | 'device' | 'nothing';
}

interface Props {
  draft: WatchDraft;
  /** How the unit of its limits is shown, if they are not in the signal's own. */
  symbol?: string | undefined;
  onClose: () => void;
}

/** Makes a watch or changes one. It is tried over the last two weeks before it is kept. */
export function WatchDialog({ draft: begun, symbol, onClose }: Props) {
  const { code: site } = useSite();
  const cache = useQueryClient();
  const [draft, setDraft] = useState(begun);
  const { data: devices = [] } = useQuery(siteNow(site));
  const set = (over: Partial<WatchDraft>) => setDraft((old) => ({ ...old, ...over }));
  const about = aboutOf(draft.is);
  const places = placesFor(devices, about);
  const place = places.find(({ on }) => on === draft.on) ?? null;
  const watch = watchOf(draft);
  const onSuccess = async () => {
    await cache.invalidateQueries({ queryKey: ['alarms', site] });
    onClose();
  };
  const keep = useMutation({
    mutationFn: (written: Watch) =>
      draft.code === undefined
        ? api.post<SiteWatch>(`${sitePath(site)}/watches`, { watch: written })
        : api.put<SiteWatch>(watchPath(site, draft.code), written),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: () => api.delete(watchPath(site, draft.code ?? '')), onSuccess });
  const attempt = useMutation({
    mutationFn: (written: Watch) => api.post<TriedWatch>(`${sitePath(site)}/watches/try`, { watch: written }),
  });
  return (
    <FormDialog
      title={draft.code === undefined ? 'Make a watch' : 'Change the watch'}
      submit="Keep it"
      width="sm"
      onSubmit={() => watch && keep.mutate(watch)}
      onClose={onClose}
      isPending={keep.isPending}
      error={keep.error ?? remove.error ?? attempt.error}
      disabled={!watch}
      other={
        draft.code !== undefined && (
          <RemoveButton isPending={remove.isPending} onRemove={() => remove.mutate()} />
        )
      }
    >
      <TextField
        label="Name"
        value={draft.name}
        onChange={(event) => set({ name: event.target.value })}
        helperText="The first words of its alarms, such as: Fridge is warm"
        autoFocus
        required
      />
      <TextField
        select
        label="Wrong is when it"
        value={draft.is}
        onChange={(event) => set({ is: event.target.value as WatchCondition['is'], on: '' })}
      >
        {CONDITIONS.map(({ is, label }) => (
          <MenuItem key={is} value={is}>
            {label}
          </MenuItem>
        ))}
      </TextField>
      {about !== 'nothing' && (
        <Autocomplete
          options={places}
          value={place}
          onChange={(_, chosen) => set({ on: chosen?.on ?? '' })}
          getOptionLabel={({ name }) => name}
          isOptionEqualToValue={(a, b) => a.on === b.on}
          renderInput={(params) => (
            <TextField
              {...params}
              label={about === 'device' ? 'Device' : 'Signal'}
              helperText={scopeHint(draft, about)}
            />
          )}
        />
      )}
      <Limits draft={draft} symbol={symbol ?? place?.symbol ?? ''} onChange={set} />
      {canPropose(draft) && (
        <UsualRange draft={draft} symbol={symbol ?? place?.symbol ?? ''} onChange={set} />
      )}
      <Stack direction={{ xs: 'column', sm: 'row' }} spacing={2}>
        <NumberEntry
          label="For so many minutes"
          value={draft.delayOn}
          onChange={(delayOn) => set({ delayOn })}
          helperText="Before there is an alarm"
        />
        <NumberEntry
          label="Clears after minutes"
          value={draft.delayOff}
          onChange={(delayOff) => set({ delayOff })}
          helperText="Once it is right again"
        />
      </Stack>
      <TextField
        select
        label="Severity"
        value={draft.severity}
        onChange={(event) => set({ severity: event.target.value as Severity })}
      >
        {SEVERITIES.map((severity) => (
          <MenuItem key={severity} value={severity}>
            {severity}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="What to do"
        value={draft.advice}
        onChange={(event) => set({ advice: event.target.value })}
        multiline
        maxRows={6}
      />
      {about !== 'device' && (
        <Button
          variant="outlined"
          disabled={!watch}
          loading={attempt.isPending}
          onClick={() => watch && attempt.mutate(watch)}
        >
          Try it over the last two weeks
        </Button>
      )}
      {attempt.data && <Tried found={attempt.data} when={attempt.variables.when} />}
      {about === 'device' && (
        <Alert severity="info">
          A gateway that is silent is the cause of what it carries: one alarm, not many.
        </Alert>
      )}
    </FormDialog>
  );
}

/** What the watch is on if nothing is chosen. */
function scopeHint(draft: WatchDraft, about: Place['about']): string | undefined {
  if (keepsScope(draft) && draft.kept) return `As it is: ${onInWords(draft.kept)}`;
  return about === 'device' ? 'None: every device' : undefined;
}

interface LimitsProps {
  draft: WatchDraft;
  symbol: string;
  onChange: (over: Partial<WatchDraft>) => void;
}

/** The numbers of a condition. */
function Limits({ draft, symbol, onChange }: LimitsProps) {
  const named = (label: string) => (symbol === '' ? label : `${label}, ${symbol}`);
  const number = (label: string, name: 'first' | 'second' | 'minutes' | 'deadband', helperText?: string) => (
    <NumberEntry
      label={label}
      value={draft[name]}
      onChange={(text) => onChange({ [name]: text })}
      helperText={helperText}
      fullWidth
    />
  );
  const deadband = number(named('Deadband'), 'deadband', 'How far it has to come back');
  const row = { direction: { xs: 'column', sm: 'row' }, spacing: 2 } as const;
  switch (draft.is) {
    case 'above':
    case 'below':
      return (
        <Stack {...row}>
          {number(named('Limit'), 'first')}
          {deadband}
        </Stack>
      );
    case 'outside':
      return (
        <Stack {...row}>
          {number(named('From'), 'first')}
          {number(named('To'), 'second')}
          {deadband}
        </Stack>
      );
    case 'changing':
      return (
        <Stack {...row}>
          {number(named('By more than'), 'first')}
          {number('Within minutes', 'minutes')}
        </Stack>
      );
    case 'steady':
      return number('For so many minutes', 'minutes');
    case 'losses':
      return number('More than % of a day’s messages', 'first');
    case 'text':
      return (
        <TextField
          label="The text"
          value={draft.text}
          onChange={(event) => onChange({ text: event.target.value })}
        />
      );
    default:
      return null;
  }
}

/** What a condition can be on. */
function placesFor(devices: DeviceNow[], about: Place['about']): Place[] {
  if (about === 'device') return devices.map(({ device, name }) => ({ on: device, name, symbol: '', about }));
  return devices.flatMap(({ device, name, signals }) =>
    signals
      .filter(({ type }) => about === 'any' || type === about)
      .map((signal) => ({
        on: `${device}/${signal.signal}`,
        name: `${name}: ${signal.name}`,
        symbol: signal.symbol,
        about,
      })),
  );
}
