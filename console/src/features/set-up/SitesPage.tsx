import Button from '@mui/material/Button';
import Card from '@mui/material/Paper';
import Container from '@mui/material/Container';
import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Navigate, Link as RouterLink, useLocation } from 'react-router';
import { session, sites } from '../../api/queries';
import { RemovedSites } from './RemovedSites';
import { Mark } from '../../components/Mark';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';

/** All sites; with only one, straight to it. */
export function SitesPage() {
  const { data, error, refetch } = useQuery(sites());
  const { data: me } = useQuery(session());
  // Coming from a site's own page one wants the list, even of one.
  const fromInside = (useLocation().state as { list?: boolean } | null)?.list === true;
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height="100vh" />;
  const [only] = data;
  if (only && data.length === 1 && !fromInside) return <Navigate to={`/sites/${only.code}`} replace />;
  const add = me?.is_administrator && (
    <Button component={RouterLink} to="/add-site" variant="contained">
      Add a site
    </Button>
  );
  return (
    <Container component="main" maxWidth="sm" sx={{ py: 6 }}>
      <Stack direction="row" spacing={1.5} sx={{ alignItems: 'center', mb: 3 }}>
        <Mark size={36} />
        <PageHeading>Sites</PageHeading>
      </Stack>
      {data.length === 0 ? (
        <Empty title="No site yet" action={add}>
          {me?.is_administrator
            ? 'A site is a place or project: its devices, its time zone, its people.'
            : 'You have no role on any site yet. Ask an owner of one to invite you.'}
        </Empty>
      ) : (
        <Stack spacing={2}>
          {data.map((site) => (
            <Card key={site.code} sx={{ p: 2 }}>
              <Link component={RouterLink} to={`/sites/${site.code}`} sx={{ fontSize: 18, fontWeight: 600 }}>
                {site.name}
              </Link>
              <Typography color="textSecondary">
                {site.code}, {site.zone}
              </Typography>
            </Card>
          ))}
          {add && <div>{add}</div>}
        </Stack>
      )}
      {me?.is_administrator && <RemovedSites />}
    </Container>
  );
}
