const DAY = 86_400_000;
const RADIANS = Math.PI / 180;
/** The Sun's centre is so far below the horizon when its upper edge is seen on it, in degrees. */
const HORIZON = -0.833;

/** Height of the Sun's centre above the horizon, in degrees, good to about a hundredth; after J. Meeus, Astronomical Algorithms, chapter 25. */
export function sunHeight(at: number, latitude: number, longitude: number): number {
  const centuries = (at / DAY + 2_440_587.5 - 2_451_545) / 36_525;
  const meanLongitude = 280.46646 + centuries * (36_000.76983 + centuries * 0.0003032);
  const anomaly = (357.52911 + centuries * (35_999.05029 - 0.0001537 * centuries)) * RADIANS;
  const centre =
    (1.914602 - centuries * (0.004817 + 0.000014 * centuries)) * Math.sin(anomaly) +
    (0.019993 - 0.000101 * centuries) * Math.sin(2 * anomaly) +
    0.000289 * Math.sin(3 * anomaly);
  const node = (125.04 - 1934.136 * centuries) * RADIANS;
  const along = (meanLongitude + centre - 0.00569 - 0.00478 * Math.sin(node)) * RADIANS;
  const tilt = (23.439291 - 0.0130042 * centuries + 0.00256 * Math.cos(node)) * RADIANS;
  const declination = Math.asin(Math.sin(tilt) * Math.sin(along));
  const ascension = Math.atan2(Math.cos(tilt) * Math.sin(along), Math.cos(along)) / RADIANS;
  const sidereal = 280.46061837 + 360.98564736629 * centuries * 36_525 + 0.000387933 * centuries ** 2;
  const hourAngle = (sidereal + longitude - ascension) * RADIANS;
  const height =
    Math.sin(latitude * RADIANS) * Math.sin(declination) +
    Math.cos(latitude * RADIANS) * Math.cos(declination) * Math.cos(hourAngle);
  return Math.asin(height) / RADIANS;
}

/** Nights that are looked for; in a longer time they could not be told apart. */
const MOST_NIGHTS = 62;

/** Stretches of a time in which the Sun is down at a place; none if there would be too many. */
export function nights(
  span: { from: number; to: number },
  latitude: number,
  longitude: number,
): { from: number; to: number }[] {
  const { from, to } = span;
  if (!(to > from) || to - from > MOST_NIGHTS * DAY) return [];
  const isDown = (at: number) => sunHeight(at, latitude, longitude) < HORIZON;
  const step = Math.min(DAY / 48, (to - from) / 4);
  const found: { from: number; to: number }[] = [];
  let begun = isDown(from) ? from : undefined;
  for (let at = from; at < to; at += step) {
    const next = Math.min(at + step, to);
    if (isDown(next) === (begun !== undefined)) continue;
    const turn = turning(at, next, isDown);
    if (begun === undefined) begun = turn;
    else {
      found.push({ from: begun, to: turn });
      begun = undefined;
    }
  }
  return begun === undefined ? found : [...found, { from: begun, to }];
}

/** When something turns between two times, to the second. */
function turning(before: number, after: number, is: (at: number) => boolean): number {
  const first = is(before);
  let [low, high] = [before, after];
  while (high - low > 1000) {
    const middle = (low + high) / 2;
    if (is(middle) === first) low = middle;
    else high = middle;
  }
  return high;
}
