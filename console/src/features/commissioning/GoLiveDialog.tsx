import Alert from '@mui/material/Alert';
import FormControlLabel from '@mui/material/FormControlLabel';
import Radio from '@mui/material/Radio';
import RadioGroup from '@mui/material/RadioGroup';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../api/client';
import type { Commissioning } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { useSite } from '../../components/siteContext';
import { grouped } from '../../format/number';

interface Props {
  commissioning: Commissioning;
  path: string;
  onClose: () => void;
}

/** Asks what becomes of the trial readings, each time, and lets the device go live. Clearing them asks for the device's code. */
export function GoLiveDialog({ commissioning, path, onClose }: Props) {
  const site = useSite();
  const navigate = useNavigate();
  const cache = useQueryClient();
  const [readings, setReadings] = useState<'clear' | 'keep' | ''>('');
  const [typed, setTyped] = useState('');
  const live = useMutation({
    mutationFn: () => api.post(`${path}/live`, { trial_readings: readings, anyway: !commissioning.is_ready }),
    onSuccess: async () => {
      await cache.invalidateQueries();
      await navigate(`/sites/${site.code}/devices/${commissioning.device}`);
    },
  });
  const clears = readings === 'clear' && commissioning.trial_readings > 0;
  const many = grouped(commissioning.trial_readings);
  return (
    <FormDialog
      title={`${commissioning.name} goes live`}
      submit={commissioning.is_ready ? 'Go live' : 'Go live anyway'}
      cancel="Not yet"
      onSubmit={() => live.mutate()}
      onClose={onClose}
      isPending={live.isPending}
      error={live.error}
      disabled={readings === '' || (clears && typed !== commissioning.device)}
    >
      {!commissioning.is_ready && <Alert severity="warning">{commissioning.verdict}</Alert>}
      <div>
        <Typography id="readings-label" gutterBottom>
          What becomes of its {many} trial readings?
        </Typography>
        <RadioGroup
          aria-labelledby="readings-label"
          value={readings}
          onChange={(_, value) => setReadings(value as 'clear' | 'keep')}
        >
          <FormControlLabel
            value="clear"
            control={<Radio />}
            label="Clear them: they cannot be brought back"
          />
          <FormControlLabel value="keep" control={<Radio />} label="Keep them, as readings like any other" />
        </RadioGroup>
      </div>
      {clears && (
        <TextField
          label={`Type its code ${commissioning.device} to clear them`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          fullWidth
          autoComplete="off"
        />
      )}
    </FormDialog>
  );
}
