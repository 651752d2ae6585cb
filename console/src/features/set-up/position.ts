import type { Position } from '../../api/schema';

/** "54.52, -2.31, 210" as a position; null when empty; undefined when it is none. */
export function parsePosition(text: string): Position | null | undefined {
  if (text.trim() === '') return null;
  const numbers = text.split(',').map((part) => (part.trim() === '' ? NaN : Number(part)));
  const [latitude, longitude, altitude_m] = numbers;
  if (numbers.some(Number.isNaN) || latitude === undefined || longitude === undefined || numbers.length > 3)
    return undefined;
  return altitude_m === undefined ? { latitude, longitude } : { latitude, longitude, altitude_m };
}

/** A position as it is typed. */
export function positionText(position: Position | undefined): string {
  if (position === undefined) return '';
  const { latitude, longitude, altitude_m } = position;
  return [latitude, longitude, ...(altitude_m === undefined ? [] : [altitude_m])].join(', ');
}
