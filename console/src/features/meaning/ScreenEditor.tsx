import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import type { ScreenRange as Bounds, Screen, ValueType } from '../../api/schema';
import { without } from '../../without';
import { CheckRow as Row } from './CheckRow';
import { MovingCheck } from './MovingCheck';
import { NumberField, numbers } from './StepFields';

interface Props {
  screen: Screen;
  onChange: (screen: Screen) => void;
  type: ValueType;
  symbol: string;
}

/** A screen with a part changed; empty parts are left out. */
function withPart<K extends keyof Screen>(screen: Screen, part: K, value: Screen[K] | undefined): Screen {
  return value === undefined ? without(screen, part) : { ...screen, [part]: value };
}

function bounds(low: number | undefined, high: number | undefined): Bounds | undefined {
  if (low === undefined && high === undefined) return undefined;
  return { ...(low === undefined ? {} : { low }), ...(high === undefined ? {} : { high }) };
}

/** The checks of a screen; empty fields check nothing. */
export function ScreenEditor({ screen, onChange, type, symbol }: Props) {
  const put = <K extends keyof Screen>(part: K, value: Screen[K] | undefined) =>
    onChange(withPart(screen, part, value));
  const unit = symbol === '' ? '' : ` (${symbol})`;
  const isNumber = type === 'number';
  return (
    <Stack spacing={2.5}>
      {isNumber && (
        <>
          <Row title="Possible" says="Values outside are rejected.">
            <Range value={screen.possible} unit={unit} name="possible" onChange={(v) => put('possible', v)} />
          </Row>
          <Row title="Expected" says="Values outside are suspect.">
            <Range value={screen.expected} unit={unit} name="expected" onChange={(v) => put('expected', v)} />
          </Row>
          <Row title="Jumps" says="What changes faster from the last good value is rejected.">
            <NumberField
              label={`Most in a second${unit}`}
              value={screen.fastest_per_s}
              onChange={(v) => put('fastest_per_s', v)}
              width={210}
            />
          </Row>
          <Row title="Outliers" says="Values far from the last ones are suspect (Hampel).">
            <NumberField
              label="Of how many values"
              value={screen.outlier?.window}
              onChange={(window) =>
                put('outlier', window === undefined ? undefined : { threshold: 3, ...screen.outlier, window })
              }
              width={180}
            />
            {screen.outlier && (
              <NumberField
                label="Deviations away"
                value={screen.outlier.threshold}
                onChange={(threshold) =>
                  screen.outlier && put('outlier', { ...screen.outlier, threshold: threshold ?? 3 })
                }
              />
            )}
          </Row>
          <Row title="No value" says="What the sensor sends, before it is converted, when it has no value.">
            <Markers
              value={screen.markers ?? []}
              onChange={(v) => put('markers', v.length > 0 ? v : undefined)}
            />
          </Row>
        </>
      )}
      {type === 'position' ? (
        <MovingCheck check={screen.position} onChange={(check) => put('position', check)} />
      ) : (
        <Row title="Frozen" says="Exactly the same for longer is suspect.">
          <NumberField
            label="Longer than (s)"
            value={screen.frozen_after_s}
            onChange={(v) => put('frozen_after_s', v)}
          />
        </Row>
      )}
      <Row title="Late" says="What comes so long after its time is suspect.">
        <NumberField
          label="Later than (s)"
          value={screen.late_after_s}
          onChange={(v) => put('late_after_s', v)}
        />
      </Row>
      <Row title="Only while" says="It counts only while a flag says so, such as that a probe is attached.">
        <TextField
          label="Flag"
          value={screen.while?.signal ?? ''}
          onChange={(e) =>
            put(
              'while',
              e.target.value === '' ? undefined : { is: screen.while?.is ?? true, signal: e.target.value },
            )
          }
          sx={{ width: 180 }}
        />
        {screen.while && (
          <FormControlLabel
            control={
              <Checkbox
                checked={screen.while.is}
                onChange={(_, is) => screen.while && put('while', { ...screen.while, is })}
              />
            }
            label="is yes"
          />
        )}
      </Row>
    </Stack>
  );
}

function Range({
  value,
  unit,
  name,
  onChange,
}: {
  value: Bounds | undefined;
  unit: string;
  name: string;
  onChange: (value: Bounds | undefined) => void;
}) {
  return (
    <>
      <NumberField
        label={`Lowest ${name}${unit}`}
        value={value?.low}
        onChange={(low) => onChange(bounds(low, value?.high))}
        width={190}
      />
      <NumberField
        label={`Highest ${name}${unit}`}
        value={value?.high}
        onChange={(high) => onChange(bounds(value?.low, high))}
        width={190}
      />
    </>
  );
}

function Markers({ value, onChange }: { value: number[]; onChange: (value: number[]) => void }) {
  return (
    <TextField
      label="Values"
      defaultValue={value.join(', ')}
      onChange={(e) => {
        const found = e.target.value.trim() === '' ? [] : numbers(e.target.value);
        if (found !== undefined) onChange(found);
      }}
      placeholder="-127, 85"
      slotProps={{ inputLabel: { shrink: true } }}
      sx={{ width: 180 }}
    />
  );
}
