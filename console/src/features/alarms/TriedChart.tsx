import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { summary, type Span } from '../../api/pastQueries';
import type { SummarySet, TriedOccurrence, TriedWatch, WatchCondition } from '../../api/schema';
import { bandOf } from '../../chart/columnLayers';
import { roomFor, valuesOf, type Layer, type Picture } from '../../chart/picture';
import { columns, usualStep } from '../../chart/series';
import { PictureView } from '../../chart/svg/PictureView';
import { useSite } from '../../components/siteContext';

/** Buckets of the line. */
const BUCKETS = 300;

/** The history a watch was tried over, its limits, and when it would have been wrong. */
export function TriedChart({ found, when }: { found: TriedWatch; when: WatchCondition }) {
  const { code, zone } = useSite();
  const place = found.places.find(({ count }) => count > 0) ?? found.places[0];
  const span = useMemo(() => ({ from: Date.parse(found.from), to: Date.parse(found.to) }), [found]);
  const unit = 'unit' in when ? (when.unit ?? undefined) : undefined;
  const { data: set } = useQuery({
    ...summary(code, place?.device ?? '', place?.signal ?? '', span, BUCKETS, unit),
    enabled: place !== undefined,
  });
  if (!place || !set || set.buckets.length === 0) return null;
  return (
    <PictureView
      picture={triedPicture(set, place.occurrences, limitsOf(when), span, zone)}
      title={`${place.device}/${place.signal}`}
      label={`The last two weeks, with ${place.occurrences.length} times that would have been alarms`}
      height={180}
    />
  );
}

/** The limits of a condition that can be drawn as lines. */
export function limitsOf(when: WatchCondition): number[] {
  if (when.is === 'above' || when.is === 'below') return [when.limit];
  return when.is === 'outside' ? [when.low, when.high] : [];
}

/** A history with limits as lines, and shades where a watch would have been wrong. */
export function triedPicture(
  set: SummarySet,
  occurrences: TriedOccurrence[],
  limits: number[],
  span: Span,
  zone: string,
): Picture {
  const drawn = { width_s: set.width_s ?? 0, pieces: set.buckets };
  const step = drawn.pieces.length > 1 ? usualStep(drawn) / 1000 : 0;
  const shade: Layer = {
    kind: 'shade',
    tone: 'wrong',
    spans: occurrences.map(({ from, to }) => ({
      from: Date.parse(from),
      to: to === undefined ? span.to : Date.parse(to),
    })),
  };
  const lines = limits.map((limit): Layer => {
    const places = [span.from, span.to].map((at) => [at, limit] as const);
    return { kind: 'line', name: '', tone: 'wrong', look: 'dotted', places };
  });
  const layers = [shade, ...bandOf(columns([drawn], [step]), 0, 0, ''), ...lines];
  return { across: { kind: 'time', span, zone }, up: roomFor(valuesOf(layers)), layers };
}
