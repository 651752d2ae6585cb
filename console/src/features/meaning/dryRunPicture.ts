import type { DryRunResult, Reading } from '../../api/schema';
import {
  roomFor,
  valuesOf,
  withGaps,
  type Layer,
  type Picture,
  type Place,
  type Tone,
} from '../../chart/picture';

const places = (readings: Reading[]): Place[] =>
  readings.flatMap(({ at, value }) => (typeof value === 'number' ? [[Date.parse(at), value] as const] : []));

/**
 * What it would be beside what it is, and what would be caught. That may lie far off: the lines
 * decide what is seen, and it stands at the edge.
 */
export function dryRunPicture(result: DryRunResult, zone: string): Picture {
  const span = { from: Date.parse(result.from), to: Date.parse(result.to) };
  const line = (name: string, tone: number, readings: Reading[]): Layer => ({
    kind: 'line',
    name,
    tone,
    places: withGaps(places(readings), span),
  });
  const caught = (quality: 'suspect' | 'rejected', tone: Tone, look: 'full' | 'hollow'): Layer => ({
    kind: 'dots',
    tone,
    look,
    places: places(result.examples.filter((reading) => reading.quality === quality)),
  });
  const lines = [line('now', 0, result.curve_now), line('then', 1, result.curve)];
  const dots = [caught('suspect', 'doubtful', 'hollow'), caught('rejected', 'wrong', 'full')];
  const seen = [...valuesOf(lines)];
  const up = roomFor(seen.length > 0 ? seen : places(result.examples).map(([, value]) => value));
  return { across: { kind: 'time', span, zone }, up, layers: [...lines, ...dots] };
}
