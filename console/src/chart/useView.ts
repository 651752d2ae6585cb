import { useMemo, useRef } from 'react';
import { useSearchParams } from 'react-router';
import type { Span } from '../api/pastQueries';
import { readUnits, writeUnit } from '../format/otherUnits';
import { useSteady } from './useSteady';
import { readShown, writeShown, type Shown } from './spans';

/** Times shown so soon after each other are one step back, in milliseconds. */
const ONE_STEP = 700;

/**
 * What the address says of a chart: its time and the units that were chosen. Another time is
 * another step of the browser, so that going back undoes a zoom.
 */
export function useView() {
  const [params, setParams] = useSearchParams();
  const units = useMemo(() => readUnits(params), [params]);
  const shownAt = useRef(0);
  const onShow = useSteady((next: Shown) => {
    // The notches of a wheel are one step together.
    const replace = Date.now() - shownAt.current < ONE_STEP;
    shownAt.current = Date.now();
    // At once: by itself the router waits for a quiet moment.
    setParams((old) => writeShown(old, next), { replace, preventScrollReset: true, flushSync: true });
  });
  const onZoom = useSteady((fixed: Span) => onShow({ fixed }));
  const onUnit = useSteady((own: string, other: string) =>
    setParams((old) => writeUnit(old, own, other), { replace: true, preventScrollReset: true }),
  );
  return { shown: readShown(params), units, onShow, onZoom, onUnit };
}
