import Autocomplete from '@mui/material/Autocomplete';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { members } from '../../api/peopleQueries';
import { useSite } from '../../components/siteContext';

interface Props {
  label: string;
  value: string[];
  onChange: (value: string[]) => void;
  helperText?: string;
  required?: boolean;
}

/** Whom a roster names, in order: people of the site, or an address that is typed. */
export function CalleesField({ label, value, onChange, helperText, required = false }: Props) {
  const site = useSite();
  const { data: people = [] } = useQuery(members(site.code));
  const names = people.map(({ name }) => name).filter((name) => !value.includes(name));
  return (
    <Autocomplete
      multiple
      freeSolo
      autoSelect
      options={names}
      value={value}
      onChange={(_, chosen) =>
        onChange([...new Set(chosen.map((one) => one.trim()).filter((one) => one !== ''))])
      }
      renderInput={(params) => (
        <TextField
          {...params}
          label={label}
          helperText={helperText}
          required={required && value.length === 0}
        />
      )}
    />
  );
}
