import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Container from '@mui/material/Container';
import { useQuery } from '@tanstack/react-query';
import { Outlet, useParams } from 'react-router';
import { LiveProvider, useLiveState } from '../api/LiveProvider';
import { site as siteQuery } from '../api/queries';
import { clockTime } from '../format/time';
import { BottomBar, TopStrip } from './TopStrip';
import { SiteContext } from './siteContext';
import { Loading, ProblemAlert } from './states';

/** What stands around every page of a site. */
export function SiteFrame() {
  const { site: code = '' } = useParams();
  const { data: site, error, refetch } = useQuery(siteQuery(code));
  if (error && !site) {
    return (
      <Container maxWidth="sm" sx={{ py: 6 }}>
        <ProblemAlert error={error} onRetry={() => void refetch()} />
      </Container>
    );
  }
  if (!site) return <Loading height="100vh" />;
  return (
    <SiteContext value={site}>
      <LiveProvider site={code}>
        <TopStrip />
        <NotConnected zone={site.zone} />
        <Container
          component="main"
          maxWidth={false}
          sx={{ maxWidth: 1440, px: { xs: 2, md: 3 }, pt: 3, pb: { xs: 12, md: 6 } }}
        >
          <Outlet />
        </Container>
        <BottomBar />
      </LiveProvider>
    </SiteContext>
  );
}

function NotConnected({ zone }: { zone: string }) {
  const live = useLiveState();
  if (live.connected) return null;
  return (
    <Box sx={{ position: 'sticky', top: 56, zIndex: 2 }}>
      <Alert severity="warning" sx={{ borderRadius: 0, bgcolor: 'background.paper' }}>
        Not connected since {clockTime(live.since, zone)}, trying again. What is shown is as old as it says.
      </Alert>
    </Box>
  );
}
