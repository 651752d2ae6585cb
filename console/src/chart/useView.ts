import { useMemo, useRef } from 'react';
import { useSearchParams } from 'react-router';
import type { Span } from '../api/pastQueries';
import { readUnits, writeUnit } from '../format/otherUnits';
import { useSteady } from './useSteady';
import { readShown, writeShown, type Shown } from './spans';

/** Zooms so soon after each other are one step back, in milliseconds. */
const ONE_STEP = 700;

/**
 * What the address says of a chart: its time and the units that were chosen. Another time is
 * another step of the browser, so that going back undoes a zoom.
 */
export function useView() {
  const [params, setParams] = useSearchParams();
  const units = useMemo(() => readUnits(params), [params]);
  const zoomedAt = useRef(0);
  const put = (next: Shown, replace: boolean) =>
    // At once: by itself the router waits for a quiet moment.
    setParams((old) => writeShown(old, next), { replace, preventScrollReset: true, flushSync: true });
  const onShow = useSteady((next: Shown) => put(next, false));
  const onZoom = useSteady((fixed: Span) => {
    // The notches of a wheel are one step together.
    const isSame = Date.now() - zoomedAt.current < ONE_STEP;
    zoomedAt.current = Date.now();
    put({ fixed }, isSame);
  });
  const onUnit = useSteady((own: string, other: string) =>
    setParams((old) => writeUnit(old, own, other), { replace: true, preventScrollReset: true }),
  );
  return { shown: readShown(params), units, onShow, onZoom, onUnit };
}
