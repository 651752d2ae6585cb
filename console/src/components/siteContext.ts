import { createContext, use } from 'react';
import type { Session, Site } from '../api/schema';

export const SiteContext = createContext<Site | null>(null);

/** A site as somebody wants to see it: with their own zone and decimal mark, where they have chosen one. */
export function seenBy(site: Site, me: Session | null | undefined): Site {
  return {
    ...site,
    zone: me?.zone ?? site.zone,
    ...(me?.decimal_mark !== undefined && { decimal_mark: me.decimal_mark }),
  };
}

/** The site whose pages these are, as [`seenBy`] who looks. */
export function useSite(): Site {
  const site = use(SiteContext);
  if (site === null) throw new Error('This part belongs inside the pages of a site.');
  return site;
}
