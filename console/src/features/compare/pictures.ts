import type { Compared, Comparison } from '../../api/schema';
import { roomFor, valuesOf, withGaps, type Layer, type Picture, type Place } from '../../chart/picture';

/** How far the other was from the reference over time: the mean, in a band from least to most. */
export function differencesPicture(found: Comparison, other: Compared, zone: string): Picture {
  const span = { from: Date.parse(found.from), to: Date.parse(found.to) };
  const layers: Layer[] = [
    {
      kind: 'band',
      tone: 0,
      ranges: other.differences.map(({ start_ms, min, max }) => [start_ms, min, max] as const),
    },
    {
      kind: 'line',
      name: 'difference',
      tone: 0,
      places: withGaps(
        other.differences.map(({ start_ms, mean }) => [start_ms, mean] as const),
        span,
      ),
    },
  ];
  return { across: { kind: 'time', span, zone }, up: roomFor(valuesOf(layers)), layers };
}

/**
 * Each pair as a point, the other against the reference. Both have one scale, so that the
 * diagonal is where they agree; the line is what fits them best.
 */
export function pairsPicture(found: Comparison, other: Compared): Picture {
  const [low, high] = roomFor(other.sample.flatMap((pair) => [pair.reference, pair.other]));
  const unit = found.symbol === undefined ? '' : ` (${found.symbol})`;
  const layers: Layer[] = [
    {
      kind: 'line',
      name: '',
      tone: 'quiet',
      look: 'dotted',
      places: [
        [low, low],
        [high, high],
      ],
    },
    {
      kind: 'dots',
      tone: 0,
      look: 'soft',
      places: other.sample.map((pair) => [pair.reference, pair.other] as const),
    },
  ];
  const line = other.figures?.line;
  if (line) {
    // reference = slope × other + intercept, drawn over what the other said.
    const said = other.sample.map((pair) => pair.other);
    const end = (value: number): Place => [line.slope * value + line.intercept, value];
    layers.push({
      kind: 'line',
      name: '',
      tone: 1,
      look: 'thick',
      places: [end(Math.min(...said)), end(Math.max(...said))],
    });
  }
  return {
    across: { kind: 'number', low, high, title: `${found.reference}${unit}` },
    up: [low, high],
    layers,
  };
}
