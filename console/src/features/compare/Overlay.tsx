import { useQueries } from '@tanstack/react-query';
import { useMemo } from 'react';
import { summary, type Span } from '../../api/pastQueries';
import type { Compared, Comparison, SummarySet } from '../../api/schema';
import { bandOf } from '../../chart/columnLayers';
import { moved } from '../../chart/lines';
import { roomFor, valuesOf, type Picture } from '../../chart/picture';
import { columns, usualStep } from '../../chart/series';
import { PictureView } from '../../chart/svg/PictureView';
import { useSite } from '../../components/siteContext';

/** Buckets of each line. */
const BUCKETS = 300;

/** The reference and the other over one time, the other moved to where it was compared. */
export function Overlay({ found, other }: { found: Comparison; other: Compared }) {
  const { code, zone } = useSite();
  const span = useMemo(() => ({ from: Date.parse(found.from), to: Date.parse(found.to) }), [found]);
  const shift = other.shifted_s * 1000;
  const results = useQueries({
    queries: [
      { signal: found.reference, asked: span },
      { signal: other.signal, asked: { from: span.from - shift, to: span.to - shift } },
    ].map(({ signal, asked }) => {
      const [device = '', of = ''] = signal.split('/');
      return summary(code, device, of, asked, BUCKETS, found.unit);
    }),
  });
  const [reference, second] = results.map(({ data }) => data);
  const names = [found.reference, other.signal] as const;
  const picture = useMemo(
    () => reference && second && overlay(names, [reference, second], shift, span, zone),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `names` says the same as `found` and `other`
    [reference, second, shift, span, zone],
  );
  if (picture === undefined) return null;
  const unit = found.symbol === undefined ? '' : ` (${found.symbol})`;
  return (
    <PictureView
      picture={picture}
      title={`Both over the time${unit}`}
      label={`${found.reference} and ${other.signal} over the same time`}
      height={260}
      room={140}
    />
  );
}

/** Two histories in one picture, the second moved by so many milliseconds. */
export function overlay(
  names: readonly [string, string],
  sets: [SummarySet, SummarySet],
  shift: number,
  span: Span,
  zone: string,
): Picture {
  const [first, second] = sets.map(({ width_s, buckets }) => ({ width_s: width_s ?? 0, pieces: buckets }));
  const both = [first, second && moved(second, shift)];
  // How often a device reports is not known here, but how far apart its readings are.
  const steps = both.map((set) => (set && set.pieces.length > 1 ? usualStep(set) / 1000 : 0));
  const drawn = columns(both, steps);
  const layers = names.flatMap((name, i) => bandOf(drawn, i, i, name));
  return { across: { kind: 'time', span, zone }, up: roomFor(valuesOf(layers)), layers };
}
