import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { Link as RouterLink, useNavigate } from 'react-router';
import { api } from '../../api/client';
import { device as deviceQuery, devicePath, presenceChanges } from '../../api/queries';
import type { Device, DeviceChange } from '../../api/schema';
import { RemoveDialog } from '../../components/RemoveDialog';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import {
  IntervalField,
  PlaceField,
  PositionField,
  intervalEntry,
  intervalSeconds,
  type IntervalEntry,
} from '../set-up/fields';
import { mono } from '../../theme/theme';
import { parsePosition, positionText } from '../set-up/position';
import { LeaveGuard } from '../../components/LeaveGuard';
import { NumberEntry } from '../../components/NumberEntry';
import { useDraft } from '../../components/useDraft';
import { holdsNaN, numberOrNull, written } from '../../format/entry';
import { May } from '../../components/may';

/** Name, interval, place and note of a device; and its removal. */
export function SettingsSection({ code }: { code: string }) {
  const site = useSite();
  const { data, error } = useQuery(deviceQuery(site.code, code));
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const path = devicePath(site.code, code);
  if (error) return <ProblemAlert error={error} />;
  if (!data) return <Loading />;
  return (
    <>
      <Paper sx={{ p: 3, maxWidth: 760 }}>
        <DeviceForm device={data} path={path} />
      </Paper>
      <PresenceHistory code={code} />
      <Button
        component={RouterLink}
        to={`/sites/${site.code}/devices/${code}/commissioning`}
        sx={{ mt: 2, mr: 2 }}
      >
        Commissioning and its report
      </Button>
      <May right="remove">
        <Button color="error" variant="outlined" sx={{ mt: 2 }} onClick={() => setRemoving(true)}>
          Remove this device
        </Button>
      </May>
      {removing && (
        <RemoveDialog
          path={path}
          what="device"
          code={code}
          onClose={() => setRemoving(false)}
          onRemoved={() => void navigate(`/sites/${site.code}`, { state: { removed: { device: code } } })}
        />
      )}
    </>
  );
}

/** When the device was fresh, late and silent. */
function PresenceHistory({ code }: { code: string }) {
  const site = useSite();
  const { data = [] } = useQuery(presenceChanges(site.code, code));
  if (data.length === 0) return null;
  return (
    <Paper sx={{ p: 3, mt: 2, maxWidth: 760 }}>
      <Typography variant="h3" gutterBottom>
        How it was heard
      </Typography>
      <Box component="ul" sx={{ m: 0, pl: 0, listStyle: 'none' }}>
        {data.slice(0, 8).map((change) => (
          <Box component="li" key={change.at}>
            {dateTime(change.at, site.zone)}: {change.presence}
          </Box>
        ))}
      </Box>
    </Paper>
  );
}

function DeviceForm({ device, path }: { device: Device; path: string }) {
  const site = useSite();
  const cache = useQueryClient();
  const { draft, set, changes, isChanged, conflicts, reset } = useDraft(entryOf(device));
  const wrong = wrongIn(draft);
  const save = useMutation({
    mutationFn: () => api.patch<Device>(path, changeOf(changes)),
    onSuccess: (changed) => {
      cache.setQueryData(deviceQuery(site.code, device.code).queryKey, changed);
      reset();
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  return (
    <Stack component="form" spacing={2.5} onSubmit={submit}>
      <TextField
        label="Name of the device"
        value={draft.name}
        onChange={(e) => set({ name: e.target.value })}
        required
      />
      <IntervalField value={draft.every} onChange={(every) => set({ every })} />
      <Stack direction="row" spacing={1}>
        <NumberEntry
          label="Late after intervals"
          value={draft.late}
          onChange={(late) => set({ late })}
          placeholder="2"
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <NumberEntry
          label="Silent after intervals"
          value={draft.silent}
          onChange={(silent) => set({ silent })}
          placeholder="5"
          slotProps={{ inputLabel: { shrink: true } }}
        />
      </Stack>
      <PlaceField value={draft.place} onChange={(place) => set({ place })} />
      <PositionField value={draft.position} onChange={(position) => set({ position })} />
      <TextField
        label="Note"
        value={draft.note}
        onChange={(e) => set({ note: e.target.value })}
        multiline
        minRows={2}
      />
      <TextField
        label="MQTT topics of its own"
        value={draft.topics}
        onChange={(e) => set({ topics: e.target.value })}
        multiline
        minRows={2}
        helperText="One a line, for a sender that cannot be changed: {device}, {signal} and {at} may stand for a level."
        slotProps={{ htmlInput: { sx: mono } }}
      />
      {conflicts.length > 0 && (
        <Alert
          severity="warning"
          action={
            <Button color="inherit" size="small" onClick={reset}>
              Show theirs
            </Button>
          }
        >
          Somebody else changed {conflicts.map((field) => FIELDS[field]).join(', ')} meanwhile. Saving puts
          yours in place of it.
        </Alert>
      )}
      {save.error && <ProblemAlert error={save.error} />}
      <LeaveGuard when={isChanged && !save.isPending} />
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
        <May right="set_up">
          <Button type="submit" variant="outlined" loading={save.isPending} disabled={wrong || !isChanged}>
            Save
          </Button>
        </May>
        <Typography color="textSecondary" role="status">
          {isChanged ? 'Not saved yet.' : save.isSuccess ? 'Saved.' : ''}
        </Typography>
      </Box>
    </Stack>
  );
}

/** The device as the form has it. */
interface SettingsEntry {
  name: string;
  note: string;
  every: IntervalEntry;
  place: string;
  position: string;
  late: string;
  silent: string;
  topics: string;
}

const FIELDS: Record<keyof SettingsEntry, string> = {
  name: 'the name',
  note: 'the note',
  every: 'how often it reports',
  place: 'the place',
  position: 'the position',
  late: 'when it is late',
  silent: 'when it is silent',
  topics: 'the topics',
};

const entryOf = (device: Device): SettingsEntry => ({
  name: device.name,
  note: device.note,
  every: intervalEntry(device.interval_s),
  place: device.place ?? '',
  position: positionText(device.position),
  late: written(device.late_after),
  silent: written(device.silent_after),
  topics: (device.topics ?? []).join('\n'),
});

const wrongIn = ({ position, late, silent, every }: SettingsEntry): boolean =>
  parsePosition(position) === undefined ||
  holdsNaN([numberOrNull(late), numberOrNull(silent), intervalSeconds(every)]);

/** What has to be sent of what was changed. */
function changeOf(changed: Partial<SettingsEntry>): DeviceChange {
  const { name, note, every, place, late, silent, topics } = changed;
  const position = changed.position === undefined ? undefined : parsePosition(changed.position);
  const lines = topics?.split('\n').map((topic) => topic.trim());
  return {
    ...(name === undefined ? {} : { name }),
    ...(note === undefined ? {} : { note }),
    ...(place === undefined ? {} : { place }),
    ...(every === undefined ? {} : { interval_s: intervalSeconds(every) }),
    ...(position === undefined ? {} : { position }),
    ...(late === undefined ? {} : { late_after: numberOrNull(late) }),
    ...(silent === undefined ? {} : { silent_after: numberOrNull(silent) }),
    ...(lines === undefined ? {} : { topics: lines.filter((topic) => topic !== '') }),
  };
}
