import Autocomplete from '@mui/material/Autocomplete';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import type { Kind, ValueType } from '../../api/schema';
import { mono } from '../../theme/theme';
import { parsePosition } from './position';
import { propose } from './propose';
import { COMMON_UNITS } from './units';
import { NumberEntry } from '../../components/NumberEntry';
import { numberOrNull } from '../../format/entry';

/** A code; the one made from the name stands in it until another is typed. */
export function CodeField({
  name,
  value,
  onChange,
}: {
  name: string;
  value: string;
  onChange: (code: string) => void;
}) {
  return (
    <TextField
      label="Code"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      placeholder={propose(name)}
      helperText="Short name in addresses and commands: a-z, 0-9 and -."
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { pattern: '[a-z0-9\\-]{1,64}', sx: mono } }}
    />
  );
}

/** A time zone by its IANA name. */
export function ZoneField({ value, onChange }: { value: string; onChange: (zone: string) => void }) {
  return (
    <Autocomplete
      options={['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')]}
      value={value}
      onChange={(_, zone) => onChange(zone)}
      disableClearable
      renderInput={(params) => <TextField {...params} label="Time zone" required />}
    />
  );
}

/** Where a device stands, in words. */
export function PlaceField({ value, onChange }: { value: string; onChange: (place: string) => void }) {
  return (
    <TextField
      label="Place"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      helperText="In words, such as Hobb Halt. The lamp room can put devices together by it."
      slotProps={{ htmlInput: { maxLength: 120 } }}
    />
  );
}

/** The type of a signal's values. */
export function TypeField({
  value,
  onChange,
  width,
}: {
  value: ValueType;
  onChange: (type: ValueType) => void;
  width?: number;
}) {
  return (
    <TextField
      select
      label="Type"
      value={value}
      onChange={(e) => onChange(e.target.value as ValueType)}
      {...(width === undefined ? {} : { sx: { width } })}
    >
      <MenuItem value="number">number</MenuItem>
      <MenuItem value="flag">flag</MenuItem>
      <MenuItem value="text">text</MenuItem>
      <MenuItem value="position">position</MenuItem>
    </TextField>
  );
}

/** A kind of the site, or none. */
export function KindField({
  kinds,
  value,
  onChange,
  helperText,
}: {
  kinds: Kind[];
  value: string;
  onChange: (code: string) => void;
  helperText: string;
}) {
  return (
    <TextField
      select
      label="Kind"
      value={kinds.some((kind) => kind.code === value) ? value : ''}
      onChange={(e) => onChange(e.target.value)}
      helperText={helperText}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      <MenuItem value="">none</MenuItem>
      {kinds.map((kind) => (
        <MenuItem key={kind.code} value={kind.code}>
          {kind.description.name}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** A unit: a UCUM code, chosen or typed. */
export function UnitField({
  value,
  onChange,
  disabled,
}: {
  value: string;
  onChange: (unit: string) => void;
  disabled?: boolean;
}) {
  const shown = new Map(COMMON_UNITS.map((unit) => [unit.code, unit.shown]));
  return (
    <Autocomplete
      freeSolo
      options={COMMON_UNITS.map((unit) => unit.code)}
      inputValue={value}
      onInputChange={(_, unit) => onChange(unit)}
      disabled={disabled ?? false}
      filterOptions={(codes, { inputValue }) =>
        codes.filter((code) => `${code} ${shown.get(code)}`.toLowerCase().includes(inputValue.toLowerCase()))
      }
      renderOption={({ key, ...props }, code) => (
        <li key={key} {...props}>
          {shown.get(code)}
        </li>
      )}
      renderInput={(params) => <TextField {...params} label="Unit" />}
      sx={{ flex: '1 1 140px' }}
    />
  );
}

const FACTORS = { s: 1, min: 60, h: 3600 } as const;
export type IntervalUnit = keyof typeof FACTORS;

/** An interval as it is typed. */
export interface IntervalEntry {
  amount: string;
  unit: IntervalUnit;
}

export const intervalSeconds = ({ amount, unit }: IntervalEntry): number =>
  (numberOrNull(amount) ?? NaN) * FACTORS[unit];

export function intervalEntry(seconds: number): IntervalEntry {
  const unit = seconds % 3600 === 0 ? 'h' : seconds % 60 === 0 ? 'min' : 's';
  return { amount: String(seconds / FACTORS[unit]), unit };
}

/** How often a device reports. */
export function IntervalField({
  value,
  onChange,
}: {
  value: IntervalEntry;
  onChange: (value: IntervalEntry) => void;
}) {
  return (
    <Stack direction="row" spacing={1}>
      <NumberEntry
        label="Reports every"
        value={value.amount}
        onChange={(amount) => onChange({ ...value, amount })}
        required
        sx={{ width: 160 }}
      />
      <TextField
        select
        label="Unit of time"
        value={value.unit}
        onChange={(e) => onChange({ ...value, unit: e.target.value as IntervalUnit })}
        sx={{ width: 130 }}
      >
        <MenuItem value="s">seconds</MenuItem>
        <MenuItem value="min">minutes</MenuItem>
        <MenuItem value="h">hours</MenuItem>
      </TextField>
    </Stack>
  );
}

/** A fixed position. */
export function PositionField({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  const wrong = parsePosition(value) === undefined;
  return (
    <TextField
      label="Position"
      value={value}
      onChange={(e) => onChange(e.target.value)}
      error={wrong}
      placeholder="54.52, -2.31, 210"
      helperText={
        wrong
          ? 'Write it as latitude, longitude, and metres above the sea if known.'
          : 'Latitude, longitude, metres above the sea. Leave empty if it moves or is not known.'
      }
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}
