import TextField from '@mui/material/TextField';
import type { PositionCheck } from '../../api/schema';
import { without } from '../../without';
import { CheckRow } from './CheckRow';
import { NumberField } from './StepFields';

interface Props {
  check: PositionCheck | undefined;
  onChange: (check: PositionCheck | undefined) => void;
}

/** What a position has to be like. Nowhere on Earth is always rejected. */
export function MovingCheck({ check = {}, onChange }: Props) {
  const put = <K extends keyof PositionCheck>(part: K, value: PositionCheck[K] | undefined) => {
    const next: PositionCheck = value === undefined ? without(check, part) : { ...check, [part]: value };
    onChange(Object.keys(next).length === 0 ? undefined : next);
  };
  return (
    <>
      <CheckRow
        title="Movement"
        says="Further from the last good position than it can have moved is rejected."
      >
        <NumberField
          label="Fastest (m/s)"
          value={check.fastest_m_per_s}
          onChange={(v) => put('fastest_m_per_s', v)}
        />
      </CheckRow>
      <CheckRow title="Accuracy" says="A fix that is not good enough is rejected.">
        <NumberField label="Within (m)" value={check.accuracy_m} onChange={(v) => put('accuracy_m', v)} />
        <TextField
          label="Signal that tells how good a fix is"
          value={check.fix?.signal ?? ''}
          onChange={(e) =>
            put(
              'fix',
              e.target.value === ''
                ? undefined
                : { at_least: check.fix?.at_least ?? 4, signal: e.target.value },
            )
          }
          placeholder="satellites"
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 270 }}
        />
        {check.fix && (
          <NumberField
            label="At least"
            value={check.fix.at_least}
            onChange={(at_least) => check.fix && put('fix', { ...check.fix, at_least: at_least ?? 0 })}
            width={110}
          />
        )}
      </CheckRow>
    </>
  );
}
