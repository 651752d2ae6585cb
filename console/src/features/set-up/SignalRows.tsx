import AddIcon from '@mui/icons-material/Add';
import DeleteIcon from '@mui/icons-material/DeleteOutlined';
import Button from '@mui/material/Button';
import IconButton from '@mui/material/IconButton';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import type { NewSignal, ValueType } from '../../api/schema';
import { mono } from '../../theme/theme';
import { TypeField, UnitField } from './fields';

/** A signal as it is typed. */
export interface SignalEntry {
  /** Tells rows apart while they are edited. */
  id: number;
  code: string;
  type: ValueType;
  unit: string;
  /** What is not edited in a row, to be kept. */
  rest?: Pick<NewSignal, 'name' | 'note' | 'low' | 'high' | 'reserved'>;
}

export function toNewSignal({ code, type, unit, rest }: SignalEntry): NewSignal {
  const { low, high, ...always } = rest ?? {};
  return {
    ...always,
    code,
    type,
    ...(type === 'number' && unit !== '' ? { unit } : {}),
    ...(type === 'number' && low !== undefined ? { low } : {}),
    ...(type === 'number' && high !== undefined ? { high } : {}),
  };
}

export const toEntry = ({ code, type = 'number', unit, ...rest }: NewSignal, index: number): SignalEntry => ({
  id: index + 1,
  code,
  type,
  unit: unit ?? '',
  rest,
});

/** Rows in which the signals of a device are declared. */
export function SignalRows({
  rows,
  onChange,
}: {
  rows: SignalEntry[];
  onChange: (rows: SignalEntry[]) => void;
}) {
  const set = (id: number, part: Partial<SignalEntry>) =>
    onChange(rows.map((row) => (row.id === id ? { ...row, ...part } : row)));
  const add = () =>
    onChange([
      ...rows,
      { id: Math.max(0, ...rows.map((row) => row.id)) + 1, code: '', type: 'number', unit: '' },
    ]);
  return (
    <Stack spacing={2}>
      {rows.map((row, i) => (
        <Stack
          key={row.id}
          direction="row"
          spacing={1}
          useFlexGap
          role="group"
          aria-label={`Signal ${i + 1}`}
          sx={{ flexWrap: 'wrap' }}
        >
          <TextField
            label="Signal code"
            value={row.code}
            onChange={(e) => set(row.id, { code: e.target.value })}
            required
            slotProps={{
              htmlInput: { pattern: '[A-Za-z0-9._\\-]{1,64}', title: 'Letters, digits, - _ and .', sx: mono },
            }}
            sx={{ flex: '1 1 140px' }}
          />
          <TypeField value={row.type} onChange={(type) => set(row.id, { type })} width={120} />
          <UnitField
            value={row.type === 'number' ? row.unit : ''}
            onChange={(unit) => set(row.id, { unit })}
            disabled={row.type !== 'number'}
          />
          <IconButton
            onClick={() => onChange(rows.filter((other) => other.id !== row.id))}
            aria-label={`Take signal ${i + 1} away`}
          >
            <DeleteIcon />
          </IconButton>
        </Stack>
      ))}
      <Button onClick={add} startIcon={<AddIcon />} sx={{ alignSelf: 'flex-start' }}>
        Add a signal
      </Button>
    </Stack>
  );
}
