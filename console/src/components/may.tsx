import type { ReactNode } from 'react';
import type { Right } from '../api/schema';
import { useSite } from './siteContext';

/** Whether the one who looks may do something on the site. The service decides; this only spares them
 * buttons that would be refused. */
export function useMay(right: Right): boolean {
  return useSite().access.may.includes(right);
}

/** What only those see who may do something. */
export function May({ right, children }: { right: Right; children: ReactNode }) {
  return useMay(right) ? children : null;
}
