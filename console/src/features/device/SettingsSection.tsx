import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../api/client';
import { device as deviceQuery, devicePath, presenceChanges } from '../../api/queries';
import type { Device, DeviceChange } from '../../api/schema';
import { RemoveDialog } from '../../components/RemoveDialog';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { IntervalField, PositionField, intervalEntry, intervalSeconds } from '../set-up/fields';
import { mono } from '../../theme/theme';
import { parsePosition, positionText } from '../set-up/position';

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
      <Button color="error" variant="outlined" sx={{ mt: 2 }} onClick={() => setRemoving(true)}>
        Remove this device
      </Button>
      {removing && (
        <RemoveDialog
          path={path}
          what="device"
          code={code}
          onClose={() => setRemoving(false)}
          onRemoved={() => void navigate(`/sites/${site.code}`)}
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
  const [name, setName] = useState(device.name);
  const [note, setNote] = useState(device.note);
  const [every, setEvery] = useState(intervalEntry(device.interval_s));
  const [place, setPlace] = useState(positionText(device.position));
  const [late, setLate] = useState(String(device.late_after ?? ''));
  const [silent, setSilent] = useState(String(device.silent_after ?? ''));
  const [topics, setTopics] = useState((device.topics ?? []).join('\n'));
  const position = parsePosition(place);
  const save = useMutation({
    mutationFn: () => {
      const change: DeviceChange = {
        name,
        note,
        interval_s: intervalSeconds(every),
        late_after: late === '' ? null : Number(late),
        silent_after: silent === '' ? null : Number(silent),
        topics: topics
          .split('\n')
          .map((topic) => topic.trim())
          .filter((topic) => topic !== ''),
        ...(position === undefined ? {} : { position }),
      };
      return api.patch<Device>(path, change);
    },
    onSuccess: (changed) => cache.setQueryData(deviceQuery(site.code, device.code).queryKey, changed),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  return (
    <Stack component="form" spacing={2.5} onSubmit={submit}>
      <TextField label="Name of the device" value={name} onChange={(e) => setName(e.target.value)} required />
      <IntervalField value={every} onChange={setEvery} />
      <Stack direction="row" spacing={1}>
        <TextField
          label="Late after intervals"
          type="number"
          value={late}
          onChange={(e) => setLate(e.target.value)}
          placeholder="2"
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 1, step: 'any' } }}
        />
        <TextField
          label="Silent after intervals"
          type="number"
          value={silent}
          onChange={(e) => setSilent(e.target.value)}
          placeholder="5"
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: 1, step: 'any' } }}
        />
      </Stack>
      <PositionField value={place} onChange={setPlace} />
      <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} multiline minRows={2} />
      <TextField
        label="MQTT topics of its own"
        value={topics}
        onChange={(e) => setTopics(e.target.value)}
        multiline
        minRows={2}
        helperText="One a line, for a sender that cannot be changed: {device}, {signal} and {at} may stand for a level."
        slotProps={{ htmlInput: { sx: mono } }}
      />
      {save.error && <ProblemAlert error={save.error} />}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
        <Button type="submit" variant="outlined" loading={save.isPending} disabled={position === undefined}>
          Save
        </Button>
        <Typography color="textSecondary" role="status">
          {save.isSuccess ? 'Saved.' : ''}
        </Typography>
      </Box>
    </Stack>
  );
}
