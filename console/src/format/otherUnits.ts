/** A unit among those of the same kind. */
interface Other {
  code: string;
  symbol: string;
  /** How many decimals more than the family's first unit it is worth. */
  finer: number;
}

const family = (...units: [code: string, symbol: string, finer: number][]): Other[] =>
  units.map(([code, symbol, finer]) => ({ code, symbol, finer }));

/** Units that people look at the same thing in. The service changes values, whatever the unit. */
const FAMILIES: Other[][] = [
  family(['Cel', '°C', 0], ['[degF]', '°F', 0], ['K', 'K', 0]),
  family(['m', 'm', 0], ['cm', 'cm', -2], ['mm', 'mm', -3], ['[ft_i]', 'ft', 0], ['[in_i]', 'in', -1]),
  family(['bar', 'bar', 0], ['kPa', 'kPa', -2], ['hPa', 'hPa', -3], ['[psi]', 'psi', -1]),
  family(['m/s', 'm/s', 0], ['km/h', 'km/h', 0], ['[mi_i]/h', 'mph', 0], ['[kn_i]', 'kn', 0]),
  family(['m3', 'm³', 0], ['L', 'L', -3], ['[gal_us]', 'US gal', -2]),
  family(['V', 'V', 0], ['mV', 'mV', -3]),
  family(['A', 'A', 0], ['mA', 'mA', -3]),
];

const familyOf = (unit: string | undefined) =>
  FAMILIES.find((units) => units.some(({ code }) => code === unit)) ?? [];

/** What a signal can be looked at in, its own unit among it; empty if there is no choice. */
export const unitChoices = (unit: string | undefined): { code: string; symbol: string }[] => familyOf(unit);

/** Units chosen for others: by the unit of the signal the one to look at. */
export type ChosenUnits = ReadonlyMap<string, string>;

/** The choices in an address, each written as `in=Cel>[degF]`. */
export function readUnits(params: URLSearchParams): ChosenUnits {
  const pairs = params.getAll('in').map((text) => text.split('>'));
  return new Map(pairs.flatMap(([own, other]) => (own && other ? [[own, other] as const] : [])));
}

/** The address with one unit chosen to look at all signals of another in. */
export function writeUnit(old: URLSearchParams, own: string, other: string): URLSearchParams {
  const kept = [...old].filter(([name, value]) => name !== 'in' || !value.startsWith(`${own}>`));
  return new URLSearchParams(own === other ? kept : [...kept, ['in', `${own}>${other}`]]);
}

interface Measured {
  unit?: string;
  symbol: string;
  decimals: number;
}

/** A signal as it is to be looked at; `asked` is the unit to ask the service for. */
export function inChosenUnit<T extends Measured>(signal: T, chosen: ChosenUnits): T & { asked?: string } {
  const units = familyOf(signal.unit);
  const own = units.find(({ code }) => code === signal.unit);
  const other = units.find(({ code }) => code === chosen.get(signal.unit ?? ''));
  if (!own || !other || own === other) return signal;
  const decimals = Math.max(0, signal.decimals + other.finer - own.finer);
  return { ...signal, unit: other.code, symbol: other.symbol, decimals, asked: other.code };
}
