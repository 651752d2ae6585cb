import { useMemo } from 'react';
import type { Span } from '../../api/pastQueries';
import type { Mark } from '../../api/schema';
import { midnights } from '../../chart/days';
import { nights } from '../../chart/sun';

/** What stands behind all panes of a chart: nights at a place, the days' ends, the times of marks. */
export function useBackdrop(
  { from, to }: Span,
  zone: string,
  place: { latitude: number; longitude: number } | undefined,
  marks: Mark[],
) {
  // The sun is asked anew for each hundredth of the time, not for each reading.
  const step = (to - from) / 100;
  const [first, last] = [Math.floor(from / step) * step, Math.ceil(to / step) * step];
  const dark = useMemo(
    () => (place === undefined ? [] : nights({ from: first, to: last }, place.latitude, place.longitude)),
    [first, last, place],
  );
  const ends = useMemo(() => midnights({ from: first, to: last }, zone), [first, last, zone]);
  return useMemo(
    () => ({ nights: dark, midnights: ends, moments: marks.map(({ from: at }) => Date.parse(at)) }),
    [dark, ends, marks],
  );
}
