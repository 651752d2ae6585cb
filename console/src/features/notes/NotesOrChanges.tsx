import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import { NavLink } from 'react-router';
import { May } from '../../components/may';
import { useSite } from '../../components/siteContext';

/** What people wrote, or what they changed. */
export function NotesOrChanges() {
  const { code } = useSite();
  const to = (path: string, label: string) => (
    <Link
      component={NavLink}
      end
      to={`/sites/${code}/${path}`}
      underline="hover"
      sx={{ py: 0.5, '&[aria-current]': { fontWeight: 650, color: 'text.primary' } }}
    >
      {label}
    </Link>
  );
  return (
    <May right="record">
      <Stack component="nav" aria-label="Notes or changes" direction="row" spacing={3} sx={{ mb: 2 }}>
        {to('notes', 'Notes')}
        {to('notes/changes', 'Changes')}
      </Stack>
    </May>
  );
}
