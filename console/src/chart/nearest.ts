/** A value is told for a place of another line's that is at most so far off, as a share of all places. */
const REACH = 0.02;

type Numbers = ArrayLike<number | null | undefined>;

/**
 * The place of a column's value nearest to another place, where lines have their values at times of
 * their own: `undefined` means that this line has none there, `null` that it is broken.
 */
export function nearestPlace(times: ArrayLike<number>, column: Numbers, place: number): number | undefined {
  if (column[place] != null) return place;
  if (column[place] === null) return undefined;
  const at = times[place] ?? 0;
  const reach = REACH * ((times[times.length - 1] ?? 0) - (times[0] ?? 0));
  let [before, after] = [place - 1, place + 1];
  while (before >= 0 && column[before] === undefined) before -= 1;
  while (after < column.length && column[after] === undefined) after += 1;
  const near = [before, after].filter((one) => typeof column[one] === 'number');
  const distance = (one: number) => Math.abs((times[one] ?? Infinity) - at);
  const nearest = near.toSorted((a, b) => distance(a) - distance(b))[0];
  return nearest !== undefined && distance(nearest) <= reach ? nearest : undefined;
}
