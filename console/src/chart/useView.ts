import { useMemo } from 'react';
import { useSearchParams } from 'react-router';
import type { Span } from '../api/queries';
import { readUnits, writeUnit } from '../format/otherUnits';
import { readShown, writeShown, type Shown } from './spans';

/**
 * What the address says of a chart: its time and the units that were chosen. Another time is
 * another step of the browser, so that going back undoes a zoom.
 */
export function useView() {
  const [params, setParams] = useSearchParams();
  const units = useMemo(() => readUnits(params), [params]);
  const onShow = (next: Shown) => setParams((old) => writeShown(old, next), { preventScrollReset: true });
  const onZoom = (fixed: Span) => onShow({ fixed });
  const onUnit = (own: string, other: string) =>
    setParams((old) => writeUnit(old, own, other), { replace: true, preventScrollReset: true });
  return { shown: readShown(params), units, onShow, onZoom, onUnit };
}
