import type { Caught, Meaning, QualityCounts } from '../../api/schema';
import { grouped } from '../../format/number';

/** What a signal's values mean, in a few words. */
export function inWords(meaning: Meaning | undefined): string {
  const parts = [
    meaning?.formula !== undefined && 'worked out',
    meaning?.conversion !== undefined && 'converted',
    meaning?.screen !== undefined && 'screened',
  ].filter((part) => part !== false);
  return parts.length === 0 ? 'as sent' : parts.join(', ');
}

const CAUSES: Record<string, string> = {
  range: 'outside of the range',
  jump: 'changed faster than possible',
  frozen: 'the same for too long',
  outlier: 'far from those around it',
  marker: 'the sensor says that it has none',
  position: 'an impossible position',
  dependent: 'another signal says that it does not count',
  time: 'came too late',
  conversion: 'could not be converted',
  type: 'a text where a number belongs',
};

/** Why a reading is not good. */
export const causeInWords = (cause: string | undefined): string => CAUSES[cause ?? ''] ?? cause ?? '';

/** "12 rejected: changed faster than possible" */
export const caughtInWords = ({ quality, cause, count }: Caught): string =>
  `${grouped(count)} ${quality}: ${causeInWords(cause)}`;

/** "Of 20 160 readings of the last week 20 126 are good; 34 rejected: outside of the range." */
export function qualityInWords({ readings, good, caught, until }: QualityCounts): string {
  if (readings === 0) return 'No readings in the last week.';
  const counted = `${until === undefined ? '' : 'the first '}${grouped(readings)} readings of the last week`;
  if (good === readings) return `All of ${counted} are good.`;
  return `Of ${counted} ${grouped(good)} are good; ${caught.map(caughtInWords).join('; ')}.`;
}

/** A meaning without the parts that say nothing. */
export function tidy(meaning: Meaning): Meaning | null {
  const { conversion, formula, screen, others_within_s } = meaning;
  const kept: Meaning = {
    ...(conversion && ((conversion.steps ?? []).length > 0 || conversion.from) ? { conversion } : {}),
    ...(formula?.trim() ? { formula } : {}),
    ...(screen && Object.keys(screen).length > 0 ? { screen } : {}),
  };
  if (Object.keys(kept).length === 0) return null;
  return others_within_s === undefined ? kept : { ...kept, others_within_s };
}
