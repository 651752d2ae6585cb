import { createContext, use } from 'react';
import type { Site } from '../api/schema';

export const SiteContext = createContext<Site | null>(null);

/** The site whose pages these are. */
export function useSite(): Site {
  const site = use(SiteContext);
  if (site === null) throw new Error('This part belongs inside the pages of a site.');
  return site;
}
