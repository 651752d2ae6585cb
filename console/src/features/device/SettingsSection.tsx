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
import { device as deviceQuery, devicePath } from '../../api/queries';
import type { Device, DeviceChange } from '../../api/types';
import { RemoveDialog } from '../../components/RemoveDialog';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { IntervalField, PositionField, intervalEntry, intervalSeconds } from '../set-up/fields';
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

function DeviceForm({ device, path }: { device: Device; path: string }) {
  const site = useSite();
  const cache = useQueryClient();
  const [name, setName] = useState(device.name);
  const [note, setNote] = useState(device.note);
  const [every, setEvery] = useState(intervalEntry(device.interval_s));
  const [place, setPlace] = useState(positionText(device.position));
  const position = parsePosition(place);
  const save = useMutation({
    mutationFn: () => {
      const change: DeviceChange = {
        name,
        note,
        interval_s: intervalSeconds(every),
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
      <PositionField value={place} onChange={setPlace} />
      <TextField label="Note" value={note} onChange={(e) => setNote(e.target.value)} multiline minRows={2} />
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
