import type { ConversionStep } from '../../api/schema';
import { changed } from '../../without';

/** How a field of a step is entered. */
export type Field =
  | {
      name: string;
      label: string;
      kind: 'number' | 'unit' | 'source' | 'numbers';
      optional?: boolean;
      hint?: string;
    }
  | { name: string; label: string; kind: 'points'; exactly?: number; hint?: string }
  | {
      name: string;
      label: string;
      kind: 'choice';
      choices: readonly (readonly [string, string])[];
      optional?: boolean;
    }
  | { name: string; label: string; kind: 'tank' };

/** A step as it is offered. */
export interface StepKind {
  step: string;
  title: string;
  /** What it does, in a sentence. */
  says: string;
  fields: Field[];
  /** What it begins with. */
  initial: Record<string, unknown>;
}

const number = (name: string, label: string, optional = false): Field => ({
  name,
  label,
  kind: 'number',
  optional,
});
const unit: Field = { name: 'unit', label: 'Unit of the result', kind: 'unit', optional: true };
const outside: Field = {
  name: 'outside',
  label: 'Outside of it',
  kind: 'choice',
  choices: [
    ['reject', 'is rejected'],
    ['clamp', 'is the nearest end'],
    ['keep', 'goes on in the same way'],
  ],
  optional: true,
};
const counter = [
  number('modulus', 'Begins anew at', true),
  number('most', 'Most between two readings', true),
];

export const TANKS: Record<string, { title: string; lengths: readonly (readonly [string, string])[] }> = {
  'vertical-cylinder': {
    title: 'Standing cylinder',
    lengths: [
      ['diameter_m', 'Diameter (m)'],
      ['height_m', 'Height (m)'],
    ],
  },
  'horizontal-cylinder': {
    title: 'Lying cylinder',
    lengths: [
      ['diameter_m', 'Diameter (m)'],
      ['length_m', 'Length (m)'],
    ],
  },
  'cone-bottom': {
    title: 'Cylinder on a cone',
    lengths: [
      ['diameter_m', 'Diameter (m)'],
      ['height_m', 'Height of the cylinder (m)'],
      ['cone_height_m', 'Height of the cone (m)'],
    ],
  },
  rectangular: {
    title: 'Box',
    lengths: [
      ['length_m', 'Length (m)'],
      ['width_m', 'Width (m)'],
      ['height_m', 'Height (m)'],
    ],
  },
  sphere: { title: 'Ball', lengths: [['diameter_m', 'Diameter (m)']] },
};

/** The steps there are, in the order in which a chain usually has them. */
export const STEPS: StepKind[] = [
  {
    step: 'counts',
    title: 'Counts to volts',
    says: 'counts × reference / 2 to the bits',
    fields: [number('bits', 'Bits'), number('reference_v', 'Reference (V)')],
    initial: { bits: 12, reference_v: 3.3 },
  },
  {
    step: 'scale',
    title: 'Scale and offset',
    says: 'value × factor + offset',
    fields: [number('factor', 'Factor'), number('offset', 'Offset', true), unit],
    initial: { factor: 1, offset: 0 },
  },
  {
    step: 'two-point',
    title: 'Two points',
    says: 'the straight line through two points',
    fields: [{ name: 'points', label: 'Before, after', kind: 'points', exactly: 2 }, unit],
    initial: {
      points: [
        [0.5, 0],
        [4.5, 10],
      ],
    },
  },
  {
    step: 'polynomial',
    title: 'Polynomial',
    says: 'c0 + c1 x + c2 x² …',
    fields: [{ name: 'coefficients', label: 'Coefficients, c0 first', kind: 'numbers' }, unit],
    initial: { coefficients: [0, 1] },
  },
  {
    step: 'table',
    title: 'Table',
    says: 'straight lines between points',
    fields: [{ name: 'points', label: 'Before, after', kind: 'points' }, outside, unit],
    initial: {
      points: [
        [0, 0],
        [100, 1],
      ],
    },
  },
  {
    step: 'divider',
    title: 'Divider to resistance',
    says: 'the voltage of a divider to the sensor in it',
    fields: [
      number('fixed_ohm', 'Fixed resistor (Ω)'),
      number('supply_v', 'Across both (V)'),
      {
        name: 'sensor',
        label: 'The sensor is',
        kind: 'choice',
        choices: [
          ['to-ground', 'to ground'],
          ['to-supply', 'to the supply'],
        ],
      },
    ],
    initial: { fixed_ohm: 10000, supply_v: 3.3, sensor: 'to-ground' },
  },
  {
    step: 'thermistor-beta',
    title: 'Thermistor, beta',
    says: 'ohms to °C',
    fields: [
      number('r0_ohm', 'Resistance (Ω)'),
      number('t0_celsius', 'at (°C)'),
      number('beta_k', 'Beta (K)'),
    ],
    initial: { r0_ohm: 10000, t0_celsius: 25, beta_k: 3950 },
  },
  {
    step: 'steinhart-hart',
    title: 'Thermistor, Steinhart-Hart',
    says: 'ohms to °C',
    fields: [number('a', 'A'), number('b', 'B'), number('c', 'C')],
    initial: { a: 0.001129148, b: 0.000234125, c: 8.76741e-8 },
  },
  {
    step: 'rtd',
    title: 'Platinum thermometer',
    says: 'ohms to °C (IEC 60751)',
    fields: [number('r0_ohm', 'Resistance at 0 °C (Ω)')],
    initial: { r0_ohm: 100 },
  },
  {
    step: 'thermocouple',
    title: 'Thermocouple',
    says: 'volts to °C (ITS-90)',
    fields: [
      {
        name: 'kind',
        label: 'Type',
        kind: 'choice',
        choices: ['B', 'E', 'J', 'K', 'N', 'R', 'S', 'T'].map((kind) => [kind, kind] as const),
      },
      { name: 'cold_junction', label: 'Cold junction', kind: 'source', hint: '°C, or a signal' },
    ],
    initial: { kind: 'K', cold_junction: 20 },
  },
  {
    step: 'echo',
    title: 'Echo to distance',
    says: 'the time there and back to one way in m',
    fields: [{ name: 'air', label: 'Air temperature', kind: 'source', hint: '°C, or a signal' }],
    initial: { air: 20 },
  },
  {
    step: 'percent',
    title: 'Span to per cent',
    says: 'empty is 0 %, full is 100 %',
    fields: [number('empty', 'Empty'), number('full', 'Full'), outside],
    initial: { empty: 0, full: 1 },
  },
  {
    step: 'volume',
    title: 'Level to volume',
    says: 'the level in a tank to what is in it',
    fields: [{ name: 'tank', label: 'Tank', kind: 'tank' }, outside],
    initial: { tank: { shape: 'vertical-cylinder', diameter_m: 2, height_m: 3 } },
  },
  {
    step: 'ratio-curve',
    title: 'Gas sensor curve',
    says: 'factor × (ohms / r0) to the exponent',
    fields: [
      number('r0_ohm', 'r0 in clean air (Ω)'),
      number('factor', 'Factor'),
      number('exponent', 'Exponent'),
      { name: 'unit', label: 'Unit of the result', kind: 'unit' },
    ],
    initial: { r0_ohm: 10000, factor: 100, exponent: -1.5, unit: '[ppm]' },
  },
  {
    step: 'current-loop',
    title: 'Current loop, 4 to 20 mA',
    says: 'out of range by NAMUR NE 43',
    fields: [
      number('low', 'Value at 4 mA'),
      number('high', 'Value at 20 mA'),
      { name: 'unit', label: 'Unit of the result', kind: 'unit' },
    ],
    initial: { low: 0, high: 10, unit: 'bar' },
  },
  {
    step: 'unit',
    title: 'Change of unit',
    says: 'the same in another unit',
    fields: [{ name: 'to', label: 'To', kind: 'unit' }],
    initial: { to: 'Cel' },
  },
  {
    step: 'rate',
    title: 'Counter to rate',
    says: 'how fast it counts; remembers the count before',
    fields: [
      {
        name: 'per',
        label: 'In a',
        kind: 'choice',
        choices: [
          ['s', 'second'],
          ['min', 'minute'],
          ['h', 'hour'],
        ],
      },
      ...counter,
      unit,
    ],
    initial: { per: 'min' },
  },
  {
    step: 'total',
    title: 'Counter to total',
    says: 'all it has counted; remembers that',
    fields: [...counter, unit],
    initial: {},
  },
  {
    step: 'median',
    title: 'Moving median',
    says: 'of the last values; remembers them',
    fields: [number('window', 'Of how many')],
    initial: { window: 5 },
  },
  {
    step: 'smooth',
    title: 'Smoothing',
    says: 'exponential; remembers the value before',
    fields: [number('time_constant_s', 'Time constant (s)')],
    initial: { time_constant_s: 60 },
  },
];

/** The kind of a step; undefined for one that a newer service knows. */
export const kindOf = (step: ConversionStep): StepKind | undefined =>
  STEPS.find((kind) => kind.step === step.step);

/** A step of a kind as it begins. */
export const begin = (kind: StepKind): ConversionStep =>
  ({ step: kind.step, ...structuredClone(kind.initial) }) as ConversionStep;

/** What a field of a step holds. */
export const fieldOf = (step: ConversionStep, name: string): unknown =>
  (step as Record<string, unknown>)[name];

/** A step with a field changed; empty fields are left out. */
export function withField(step: ConversionStep, name: string, value: unknown): ConversionStep {
  return changed(step as Record<string, unknown>, {
    [name]: value === '' ? undefined : value,
  }) as ConversionStep;
}
