import Autocomplete from '@mui/material/Autocomplete';
import Checkbox from '@mui/material/Checkbox';
import TextField from '@mui/material/TextField';
import type { DeviceNow } from '../../api/schema';
import { keyOf } from '../../chart/drawn';
import { useSame } from '../../chart/useSame';
import { isShownInTime } from '../../format/number';
import { MOST } from './chosen';

interface Option {
  key: string;
  device: string;
  name: string;
  label: string;
}

const optionsOf = (devices: DeviceNow[]): Option[] =>
  devices.flatMap((device) =>
    device.signals.filter(isShownInTime).map((signal) => ({
      key: keyOf({ device: device.device, signal: signal.signal }),
      device: device.name,
      name: signal.name,
      label: `${device.name}: ${signal.name}`,
    })),
  );

interface Props {
  devices: DeviceNow[];
  value: string[];
  onChange: (value: string[]) => void;
}

/** Signals of any devices, found by the names of both and ticked. */
export function SignalsField({ devices, value, onChange }: Props) {
  // The field would forget what is being typed if it got other ones each time.
  const options = useSame(optionsOf(devices));
  const chosen = useSame(value.flatMap((key) => options.find((option) => option.key === key) ?? []));
  const isFull = chosen.length >= MOST;
  return (
    <Autocomplete
      multiple
      disableCloseOnSelect
      options={options}
      value={chosen}
      onChange={(_, next) => onChange(next.map((option) => option.key))}
      groupBy={(option) => option.device}
      getOptionLabel={(option) => option.label}
      getOptionKey={(option) => option.key}
      isOptionEqualToValue={(option, other) => option.key === other.key}
      getOptionDisabled={(option) => isFull && !value.includes(option.key)}
      renderOption={({ key, ...props }, option, { selected }) => (
        <li key={key} {...props}>
          <Checkbox size="small" checked={selected} tabIndex={-1} sx={{ mr: 1 }} />
          {option.name}
        </li>
      )}
      renderInput={(input) => (
        <TextField
          {...input}
          label="Signals"
          helperText={isFull ? `A chart shows at most ${MOST} signals.` : undefined}
        />
      )}
      sx={{ flex: 1, maxWidth: 900, minWidth: 0 }}
    />
  );
}
