import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import { NavLink, useSearchParams } from 'react-router';
import { useSite } from './siteContext';

/** What goes along from page to page: which signals, and which time. */
const KEPT = ['signals', 'span', 'from', 'to'];

const PAGES = [
  { path: 'charts', label: 'Charts' },
  { path: 'figures', label: 'Figures' },
  { path: 'coverage', label: 'Coverage' },
  { path: 'compare', label: 'Compare' },
  { path: 'notes', label: 'Notes and changes' },
];

/** The pages on which the past is looked at. */
export function LookTabs() {
  const { code } = useSite();
  const [params] = useSearchParams();
  const kept = new URLSearchParams([...params].filter(([name]) => KEPT.includes(name)));
  const search = kept.size === 0 ? '' : `?${kept.toString()}`;
  return (
    <Stack
      component="nav"
      aria-label="Ways to look"
      direction="row"
      useFlexGap
      spacing={3}
      sx={{ flexWrap: 'wrap', rowGap: 0, mb: 2, displayPrint: 'none' }}
    >
      {PAGES.map(({ path, label }) => (
        <Link
          key={path}
          component={NavLink}
          to={`/sites/${code}/${path}${search}`}
          underline="hover"
          sx={{ py: 0.5, '&[aria-current]': { fontWeight: 650, color: 'text.primary' } }}
        >
          {label}
        </Link>
      ))}
    </Stack>
  );
}
