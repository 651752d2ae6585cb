import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { rosterPath } from '../../api/calloutQueries';
import { api } from '../../api/client';
import { sitePath } from '../../api/queries';
import type { Roster, Severity, SiteRoster } from '../../api/schema';
import { useMay } from '../../components/may';
import { RemoveButton } from '../../components/RemoveButton';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { SEVERITIES } from '../alarms/words';
import { CalleesField } from './CalleesField';
import { DaysField, SpanFields } from './fields';
import { PlanRows } from './PlanRows';
import { draftOf, NEW_ROSTER, rosterOf, type RosterDraft } from './rosterDraft';

/** The names that stand for something in the words of a message. */
const NAMES =
  '{severity} {name} {site} {device} {signal} {value} {condition} {raised} {place} {map} {others} {advice} {link}';

interface Props {
  code?: string;
  roster?: Roster | undefined;
}

/** What a roster says, to be written. */
export function RosterForm({ code, roster }: Props) {
  const site = useSite();
  const may = useMay('manage');
  const cache = useQueryClient();
  const navigate = useNavigate();
  const [draft, setDraft] = useState(roster ? draftOf(roster) : NEW_ROSTER);
  const set = (over: Partial<RosterDraft>) => setDraft((old) => ({ ...old, ...over }));
  const written = rosterOf(draft, roster);
  const onSuccess = async () => {
    await cache.invalidateQueries({ queryKey: ['alarms', site.code, 'rosters'] });
    await navigate(`/sites/${site.code}/alarms/rosters`);
  };
  const keep = useMutation({
    mutationFn: (body: Roster) =>
      code === undefined
        ? api.post<SiteRoster>(`${sitePath(site.code)}/rosters`, { roster: body })
        : api.put<SiteRoster>(rosterPath(site.code, code), body),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: () => api.delete(rosterPath(site.code, code ?? '')), onSuccess });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (written) keep.mutate(written);
  };
  return (
    <Stack component="form" spacing={3} onSubmit={submit} sx={{ maxWidth: 860 }}>
      <Paper sx={{ p: 3 }}>
        <Typography variant="h2" gutterBottom>
          Who is called
        </Typography>
        <Stack spacing={2.5} sx={{ pt: 1 }}>
          <TextField
            label="Name"
            value={draft.name}
            onChange={(event) => set({ name: event.target.value })}
            required
          />
          <TextField
            select
            label="For alarms of this severity or worse"
            value={draft.least}
            onChange={(event) => set({ least: event.target.value as Severity })}
          >
            {[...SEVERITIES].reverse().map((severity) => (
              <MenuItem key={severity} value={severity}>
                {severity}
              </MenuItem>
            ))}
          </TextField>
          <CalleesField
            label="Called one after the other"
            value={draft.order}
            onChange={(order) => set({ order })}
            helperText="People, or an e-mail address, a telephone number (+44 …), https://… or topic:…"
          />
          <Stack direction={{ xs: 'column', sm: 'row' }} spacing={2}>
            <TextField
              label="Passed on after (minutes)"
              type="number"
              value={draft.passOnMin}
              onChange={(event) => set({ passOnMin: event.target.value })}
              slotProps={{ htmlInput: { min: 1, max: 1440 } }}
              sx={{ flex: 1 }}
            />
            <TextField
              label="How often through the order"
              type="number"
              value={draft.rounds}
              onChange={(event) => set({ rounds: event.target.value })}
              slotProps={{ htmlInput: { min: 1, max: 20 } }}
              sx={{ flex: 1 }}
            />
          </Stack>
          <CalleesField
            label="Told at once as well"
            value={draft.also}
            onChange={(also) => set({ also })}
            helperText="Of each alarm and of its end, whoever is called: programs, displays, a list of addresses"
          />
          <FormControlLabel
            control={<Checkbox checked={draft.saysEnd} onChange={(_, saysEnd) => set({ saysEnd })} />}
            label="Tell those who were called when it is over"
          />
        </Stack>
      </Paper>
      <PlanRows
        title="Weekly plan"
        about="Hours in which others are called. The first that fits counts."
        rows={draft.turns}
        fresh={{ hours: { from: '18:00', to: '08:00' }, order: [] }}
        add="Add hours"
        onChange={(turns) => set({ turns })}
      >
        {({ hours, order }, change) => (
          <>
            <DaysField value={hours.days ?? []} onChange={(days) => change({ hours: { ...hours, days } })} />
            <SpanFields
              type="time"
              value={hours}
              onChange={(over) => change({ hours: { ...hours, ...over } })}
            />
            <CalleesField
              label="Called then"
              value={order}
              onChange={(chosen) => change({ order: chosen })}
            />
          </>
        )}
      </PlanRows>
      <PlanRows
        title="Holidays"
        about="Days on which others are called, whatever the weekly plan says."
        rows={draft.holidays}
        fresh={{ from: '', to: '', order: [] }}
        add="Add days"
        onChange={(holidays) => set({ holidays })}
      >
        {(row, change) => (
          <>
            <SpanFields type="date" value={row} onChange={change} />
            <CalleesField label="Called then" value={row.order} onChange={(order) => change({ order })} />
          </>
        )}
      </PlanRows>
      <PlanRows
        title="Away"
        about="Who is away, and who is called instead."
        rows={draft.absences}
        fresh={{ who: '', stand_in: '', from: '', to: '' }}
        add="Add somebody"
        onChange={(absences) => set({ absences })}
      >
        {(row, change) => (
          <>
            <CalleesField
              label="Away"
              value={row.who === '' ? [] : [row.who]}
              onChange={(chosen) => change({ who: chosen.at(-1) ?? '' })}
            />
            <SpanFields type="date" value={row} onChange={change} />
            <CalleesField
              label="Called instead"
              value={row.stand_in ? [row.stand_in] : []}
              onChange={(chosen) => change({ stand_in: chosen.at(-1) ?? '' })}
              helperText="Nobody: they are left out"
            />
          </>
        )}
      </PlanRows>
      <Paper sx={{ p: 3 }}>
        <Typography variant="h2" gutterBottom>
          Quiet hours and words
        </Typography>
        <Stack spacing={2.5} sx={{ pt: 1 }}>
          <Typography color="textSecondary">
            In quiet hours nobody is called for less than an urgent alarm; the call waits until they are over.
          </Typography>
          <SpanFields
            type="time"
            value={{ from: draft.quietFrom, to: draft.quietTo }}
            onChange={({ from, to }) =>
              set({
                ...(from !== undefined && { quietFrom: from }),
                ...(to !== undefined && { quietTo: to }),
              })
            }
          />
          <TextField
            label="Words of a message"
            multiline
            minRows={3}
            value={draft.text}
            onChange={(event) => set({ text: event.target.value })}
            helperText={`The usual words, if empty. These stand for something: ${NAMES}`}
          />
        </Stack>
      </Paper>
      {(keep.error ?? remove.error) && <ProblemAlert error={keep.error ?? remove.error} />}
      {may && (
        <Stack direction="row" spacing={1}>
          {code !== undefined && (
            <RemoveButton isPending={remove.isPending} onRemove={() => remove.mutate()} />
          )}
          <Button type="submit" variant="contained" loading={keep.isPending} disabled={!written}>
            Keep it
          </Button>
        </Stack>
      )}
    </Stack>
  );
}
