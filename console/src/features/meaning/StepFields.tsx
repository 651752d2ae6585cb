import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { ConversionStep } from '../../api/schema';
import { UnitField } from '../set-up/fields';
import { TANKS, fieldOf, withField, type Field, type StepKind } from './steps';
import { entryHint, readNumber } from '../../format/entry';

interface Props {
  kind: StepKind;
  step: ConversionStep;
  onChange: (step: ConversionStep) => void;
}

/** The fields of a step, side by side where there is room. */
export function StepFields({ kind, step, onChange }: Props) {
  return (
    <Stack direction="row" useFlexGap spacing={1.5} sx={{ flexWrap: 'wrap' }}>
      {kind.fields.map((field) => (
        <StepField
          key={field.name}
          field={field}
          value={fieldOf(step, field.name)}
          onChange={(value) => onChange(withField(step, field.name, value))}
        />
      ))}
    </Stack>
  );
}

interface FieldProps {
  field: Field;
  value: unknown;
  onChange: (value: unknown) => void;
}

function StepField({ field, value, onChange }: FieldProps) {
  switch (field.kind) {
    case 'number':
      return (
        <NumberField
          label={field.label}
          value={value as number | undefined}
          onChange={onChange}
          required={!field.optional}
        />
      );
    case 'unit':
      return (
        <div style={{ width: 200 }}>
          <UnitField value={typeof value === 'string' ? value : ''} onChange={onChange} />
        </div>
      );
    case 'choice':
      return (
        <TextField
          select
          label={field.label}
          value={typeof value === 'string' ? value : (field.choices[0]?.[0] ?? '')}
          onChange={(e) => onChange(e.target.value)}
          sx={{ minWidth: 150 }}
        >
          {field.choices.map(([code, text]) => (
            <MenuItem key={code} value={code}>
              {text}
            </MenuItem>
          ))}
        </TextField>
      );
    case 'source':
      return (
        <Parsed
          label={field.label}
          text={typeof value === 'string' || typeof value === 'number' ? String(value) : ''}
          helperText={field.hint}
          parse={(text) => {
            const entry = readNumber(text);
            if (entry === 'empty') return undefined;
            return entry === 'wrong' ? text.trim() : entry;
          }}
          onChange={onChange}
          width={170}
        />
      );
    case 'numbers':
      return (
        <Parsed
          label={field.label}
          text={Array.isArray(value) ? value.join(', ') : ''}
          helperText="Numbers with commas between; with semicolons if commas are decimal"
          parse={numbers}
          onChange={onChange}
          width={260}
        />
      );
    case 'points':
      return (
        <Parsed
          label={field.label}
          text={Array.isArray(value) ? (value as number[][]).map((point) => point.join(', ')).join('\n') : ''}
          helperText={
            field.exactly === undefined ? 'A point a line, such as 0.5, 20' : 'Two lines, such as 0.5, 20'
          }
          parse={(text) => {
            const rows = text.split('\n').filter((line) => line.trim() !== '');
            const points = rows.map((line) => numbers(line));
            return points.every((point) => point?.length === 2) ? points : undefined;
          }}
          onChange={onChange}
          multiline
          width={200}
        />
      );
    case 'tank':
      return <TankFields value={value as Record<string, unknown>} onChange={onChange} />;
  }
}

export function numbers(text: string): number[] | undefined {
  // Where semicolons stand between numbers, a comma is a decimal one.
  const parts = text.split(text.includes(';') ? /[;\s]+/ : /[,\s]+/).filter((part) => part !== '');
  const found = parts.map(readNumber);
  return found.length === 0 || found.some((one) => typeof one !== 'number') ? undefined : (found as number[]);
}

/** A number that may be empty while it is typed. */
export function NumberField({
  label,
  value,
  onChange,
  required,
  width = 150,
  helperText,
}: {
  label: string;
  value: number | undefined;
  onChange: (value: number | undefined) => void;
  required?: boolean;
  width?: number | string;
  helperText?: string;
}) {
  return (
    <Parsed
      label={label}
      text={value === undefined || Number.isNaN(value) ? '' : String(value)}
      helperText={helperText}
      hint={entryHint}
      parse={(text) => {
        const entry = readNumber(text);
        return entry === 'empty' ? undefined : entry === 'wrong' ? NaN : entry;
      }}
      onChange={(found) => onChange(found as number | undefined)}
      width={width}
      required={required ?? false}
      numeric
    />
  );
}

interface ParsedProps {
  label: string;
  text: string;
  helperText?: string | undefined;
  /** What to say instead of what is typed. */
  hint?: (text: string) => string | undefined;
  parse: (text: string) => unknown;
  onChange: (value: unknown) => void;
  multiline?: boolean;
  numeric?: boolean;
  required?: boolean;
  width: number | string;
}

/** A text that stands for something else; what is typed stays as it is typed. */
function Parsed({
  label,
  text,
  helperText,
  hint,
  parse,
  onChange,
  multiline,
  numeric,
  required,
  width,
}: ParsedProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const shown = typed ?? text;
  const meant = parse(shown);
  const isWrong = shown.trim() !== '' && (meant === undefined || Number.isNaN(meant));
  return (
    <TextField
      label={label}
      value={shown}
      onChange={(e) => {
        setTyped(e.target.value);
        onChange(parse(e.target.value));
      }}
      onBlur={() => !isWrong && setTyped(null)}
      error={isWrong || (required === true && shown.trim() === '')}
      helperText={hint?.(shown) ?? helperText}
      multiline={multiline ?? false}
      slotProps={{ htmlInput: { inputMode: numeric ? 'decimal' : 'text', spellCheck: false } }}
      sx={{ width }}
    />
  );
}

function TankFields({
  value,
  onChange,
}: {
  value: Record<string, unknown>;
  onChange: (value: unknown) => void;
}) {
  const shape = typeof value.shape === 'string' ? value.shape : 'vertical-cylinder';
  const tank = TANKS[shape];
  return (
    <>
      <TextField
        select
        label="Tank"
        value={shape}
        onChange={(e) => {
          const lengths = TANKS[e.target.value]?.lengths ?? [];
          const kept = lengths.map(([name]) => [name, value[name] ?? 1] as const);
          onChange({ shape: e.target.value, ...Object.fromEntries(kept) });
        }}
        sx={{ minWidth: 180 }}
      >
        {Object.entries(TANKS).map(([code, { title }]) => (
          <MenuItem key={code} value={code}>
            {title}
          </MenuItem>
        ))}
      </TextField>
      {tank?.lengths.map(([name, label]) => (
        <NumberField
          key={name}
          label={label}
          value={value[name] as number | undefined}
          onChange={(length) => onChange({ ...value, [name]: length })}
          required
        />
      ))}
    </>
  );
}
