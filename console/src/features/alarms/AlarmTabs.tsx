import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import { NavLink } from 'react-router';
import { useSite } from '../../components/siteContext';

const PAGES = [
  { path: 'alarms', label: 'Going on' },
  { path: 'alarms/history', label: 'History' },
  { path: 'alarms/watches', label: 'Watches' },
];

/** The pages about alarms. */
export function AlarmTabs() {
  const { code } = useSite();
  return (
    <Stack component="nav" aria-label="Alarms" direction="row" spacing={3} sx={{ mb: 2 }}>
      {PAGES.map(({ path, label }) => (
        <Link
          key={path}
          component={NavLink}
          end
          to={`/sites/${code}/${path}`}
          underline="hover"
          sx={{ py: 0.5, '&[aria-current]': { fontWeight: 650, color: 'text.primary' } }}
        >
          {label}
        </Link>
      ))}
    </Stack>
  );
}
