import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import { NavLink } from 'react-router';
import { useSite } from './siteContext';

interface Props {
  /** What the pages have in common. */
  label: string;
  /** The pages, by their path below the site's; some have pages of their own below them. */
  pages: { path: string; label: string; hasPages?: boolean }[];
  /** What goes along from page to page, beginning with `?`. */
  search?: string;
}

/** Links to pages that belong together. */
export function PageTabs({ label, pages, search = '' }: Props) {
  const { code } = useSite();
  return (
    <Stack
      component="nav"
      aria-label={label}
      direction="row"
      useFlexGap
      spacing={3}
      sx={{ flexWrap: 'wrap', rowGap: 0, mb: 2, displayPrint: 'none' }}
    >
      {pages.map(({ path, label: page, hasPages = false }) => (
        <Link
          key={path}
          component={NavLink}
          end={!hasPages}
          to={`/sites/${code}/${path}${search}`}
          underline="hover"
          sx={{ py: 0.5, '&[aria-current]': { fontWeight: 650, color: 'text.primary' } }}
        >
          {page}
        </Link>
      ))}
    </Stack>
  );
}
