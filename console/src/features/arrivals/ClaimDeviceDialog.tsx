import TextField from '@mui/material/TextField';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../api/client';
import { kinds, sitePath } from '../../api/queries';
import type { Device, WaitingDevice } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';
import { KindField } from '../set-up/fields';

/** Makes a device that waits one of the site's: it is in trial from then on. */
export function ClaimDeviceDialog({ device, onClose }: { device: WaitingDevice; onClose: () => void }) {
  const site = useSite();
  const navigate = useNavigate();
  const { data: known = [] } = useQuery(kinds(site.code));
  const [name, setName] = useState(device.identity ?? device.code);
  const [code, setCode] = useState(device.code);
  const [kind, setKind] = useState('');
  const claim = useMutation({
    mutationFn: () =>
      api.post<Device>(`${sitePath(site.code)}/waiting/${encodeURIComponent(device.code)}/claim`, {
        name,
        code,
        ...(kind === '' ? {} : { kind }),
      }),
    onSuccess: (claimed) => void navigate(`/sites/${site.code}/devices/${claimed.code}/commissioning`),
  });
  return (
    <FormDialog
      title={`Claim the device ${device.code}`}
      submit="Claim it"
      onSubmit={() => claim.mutate()}
      onClose={onClose}
      isPending={claim.isPending}
      error={claim.error}
    >
      <TextField
        label="Name of the device"
        value={name}
        onChange={(e) => setName(e.target.value)}
        required
        autoFocus
      />
      <TextField
        label="Code"
        value={code}
        onChange={(e) => setCode(e.target.value)}
        required
        slotProps={{ htmlInput: { pattern: '[a-z0-9\\-]{1,64}', sx: mono } }}
      />
      <KindField
        kinds={known}
        value={kind}
        onChange={setKind}
        helperText="Its signals become those of the kind, with what came before."
      />
    </FormDialog>
  );
}
