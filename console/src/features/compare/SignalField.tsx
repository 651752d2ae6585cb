import Autocomplete from '@mui/material/Autocomplete';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { siteNow } from '../../api/queries';
import { useSite } from '../../components/siteContext';

/** A field in which one of the site's signals is chosen by the name of its device and its own. */
export function SignalField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const site = useSite();
  const { data = [] } = useQuery(siteNow(site.code));
  const names = new Map<string, string>(
    data.flatMap((device) =>
      device.signals
        .filter((signal) => signal.type === 'number')
        .map((signal) => [`${device.device}/${signal.signal}`, `${device.name}: ${signal.name}`] as const),
    ),
  );
  return (
    <Autocomplete
      options={[...names.keys()]}
      value={value === '' ? null : value}
      onChange={(_, chosen) => onChange(chosen ?? '')}
      getOptionLabel={(path) => names.get(path) ?? path}
      renderInput={(input) => <TextField {...input} label={label} />}
      sx={{ width: { xs: '100%', sm: 330 } }}
    />
  );
}
