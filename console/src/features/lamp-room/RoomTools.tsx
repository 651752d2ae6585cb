import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Chip from '@mui/material/Chip';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import { Link } from 'react-router';
import type { DeviceNow } from '../../api/schema';
import { counted } from './order';
import { GROUPINGS, type Grouping } from './rows';
import { May } from '../../components/may';

/** What of the lamp room is shown, and how. */
export interface RoomView {
  words: string;
  concern: string | null;
  by: Grouping;
  form: 'cards' | 'list';
}

/** Filter, grouping and form of the lamp room. */
export function RoomTools({
  devices,
  site,
  view,
  onChange,
}: {
  devices: DeviceNow[];
  site: string;
  view: RoomView;
  onChange: (change: Partial<RoomView>) => void;
}) {
  const concerns = counted(devices);
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'center', mb: 2 }}>
      <TextField
        label="Filter"
        type="search"
        value={view.words}
        onChange={(event) => onChange({ words: event.target.value })}
        sx={{ flex: { xs: '1 1 140px', sm: '0 1 220px' } }}
      />
      <TextField
        select
        label="Group"
        value={view.by}
        onChange={(event) => onChange({ by: event.target.value as Grouping })}
        sx={{ width: 130 }}
      >
        {Object.entries(GROUPINGS).map(([grouping, words]) => (
          <MenuItem key={grouping} value={grouping}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      <ToggleButtonGroup
        exclusive
        size="small"
        aria-label="Form"
        value={view.form}
        onChange={(_, form: RoomView['form'] | null) => form && onChange({ form })}
      >
        <ToggleButton value="cards">Cards</ToggleButton>
        <ToggleButton value="list">List</ToggleButton>
      </ToggleButtonGroup>
      <Box
        sx={{
          display: 'flex',
          flexWrap: 'wrap',
          gap: 1,
          flex: { xs: '1 0 100%', md: '1 1 auto' },
          order: { xs: 1, md: 0 },
        }}
      >
        {concerns.map(({ concern, chip, count }) => (
          <Chip
            key={concern}
            label={`${chip} ${count}`}
            variant={view.concern === concern ? 'filled' : 'outlined'}
            color={view.concern === concern ? 'primary' : 'default'}
            aria-pressed={view.concern === concern}
            onClick={() => onChange({ concern: view.concern === concern ? null : concern })}
          />
        ))}
      </Box>
      <May right="set_up">
        <Button component={Link} to={`/sites/${site}/add-device`} variant="contained" sx={{ ml: 'auto' }}>
          Add a device
        </Button>
      </May>
    </Box>
  );
}
