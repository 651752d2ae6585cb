import Autocomplete from '@mui/material/Autocomplete';
import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { ARRANGEMENTS, type Arrangement } from './arrange';
import { EARLIER, lengthText, parseLength, type Earlier } from './earlier';
import type { Look } from './useLook';

interface Props {
  look: Look;
  /** The zone of the site, in which times are shown unless another is chosen. */
  zone: string;
  /** Nights are offered where the site says where it is. */
  hasPlace: boolean;
  onLook: (part: Partial<Look>) => void;
  /** Buttons for what else can be done with the chart. */
  children?: ReactNode;
}

/** How a chart's signals are shown: in which panes, over what, with what beside them. */
export function ChartTools({ look, zone, hasPlace, onLook, children }: Props) {
  // On a phone the chart comes first.
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button
        size="small"
        onClick={() => setOpen((old) => !old)}
        aria-expanded={isOpen}
        sx={{ display: { sm: 'none' }, mb: 1 }}
      >
        {isOpen ? 'Hide the tools' : 'Tools of the chart'}
      </Button>
      <Stack
        direction="row"
        useFlexGap
        spacing={1}
        sx={{
          display: { xs: isOpen ? 'flex' : 'none', sm: 'flex' },
          flexWrap: 'wrap',
          alignItems: 'center',
          mb: 1.5,
        }}
      >
        <TextField
          select
          label="Panes"
          value={look.panes}
          onChange={(event) => onLook({ panes: event.target.value as Arrangement })}
          sx={{ width: 140 }}
        >
          {ARRANGEMENTS.map(({ id, label }) => (
            <MenuItem key={id} value={id}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        <EarlierField value={look.under} onChange={(under) => onLook({ under })} />
        <ZoneField own={zone} value={look.zone} onChange={(chosen) => onLook({ zone: chosen })} />
        {hasPlace && (
          <FormControlLabel
            control={<Switch checked={look.nights} onChange={(_, nights) => onLook({ nights })} />}
            label="Nights"
          />
        )}
        <FormControlLabel
          control={<Switch checked={look.doubts} onChange={(_, doubts) => onLook({ doubts })} />}
          label="Suspect and rejected"
        />
        {children}
      </Stack>
    </>
  );
}

/** Which earlier time lies under the lines: by the calendar, or so long before as is typed. */
function EarlierField({
  value,
  onChange,
}: {
  value: Earlier | undefined;
  onChange: (value: Earlier | undefined) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const length = typed === null ? undefined : parseLength(typed);
  if (typed !== null) {
    const finish = () => {
      if (length !== undefined) onChange(length);
      setTyped(null);
    };
    return (
      <TextField
        label="Underlaid: how long before"
        value={typed}
        autoFocus
        error={typed !== '' && length === undefined}
        placeholder="such as 3 d or 90 m"
        onChange={(event) => setTyped(event.target.value)}
        onBlur={finish}
        onKeyDown={(event) => event.key === 'Enter' && finish()}
        sx={{ width: 172 }}
      />
    );
  }
  return (
    <TextField
      select
      label="Underlaid"
      value={value ?? 'none'}
      onChange={({ target }) => {
        const choice: string = target.value;
        if (choice === 'other') setTyped('');
        else onChange(EARLIER.find(({ id }) => id === choice)?.id);
      }}
      sx={{ width: 172 }}
    >
      <MenuItem value="none">Nothing</MenuItem>
      {EARLIER.map(({ id, label }) => (
        <MenuItem key={id} value={id}>
          {label}
        </MenuItem>
      ))}
      {typeof value === 'number' && <MenuItem value={value}>{lengthText(value)} before</MenuItem>}
      <MenuItem value="other">Another time before …</MenuItem>
    </TextField>
  );
}

const ZONES = Intl.supportedValuesOf('timeZone');

/** In which zone times are shown; the site's own unless another is chosen. */
function ZoneField({
  own,
  value,
  onChange,
}: {
  own: string;
  value: string | undefined;
  onChange: (zone: string | undefined) => void;
}) {
  const [isOpen, setOpen] = useState(false);
  if (!isOpen)
    return (
      <Button size="small" onClick={() => setOpen(true)} aria-label={`Times of ${value ?? own}`}>
        {value ?? own}
      </Button>
    );
  return (
    <Autocomplete
      options={[...new Set([own, 'UTC', ...ZONES])]}
      value={value ?? own}
      openOnFocus
      onChange={(_, zone) => {
        onChange(zone === own || zone === null ? undefined : zone);
        setOpen(false);
      }}
      onBlur={() => setOpen(false)}
      renderInput={(params) => <TextField {...params} label="Zone of the times" autoFocus />}
      sx={{ width: 240 }}
    />
  );
}
