import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Container from '@mui/material/Container';
import Link from '@mui/material/Link';
import { useQuery } from '@tanstack/react-query';
import { Outlet, ScrollRestoration, useParams } from 'react-router';
import { LiveProvider, useLiveState } from '../api/LiveProvider';
import { alarmCounts } from '../api/alarmQueries';
import { session, site as siteQuery, storage } from '../api/queries';
import { setDecimalMark } from '../format/mark';
import { clockTime } from '../format/time';
import { BottomBar, TopStrip } from './TopStrip';
import { RemovedNotice } from './RemovedNotice';
import { useRinging } from './ringing';
import { SiteContext, seenBy, useSite } from './siteContext';
import { Loading, ProblemAlert } from './states';

/** What stands around every page of a site. */
export function SiteFrame() {
  const { site: code = '' } = useParams();
  const { data, error, refetch } = useQuery(siteQuery(code));
  const { data: me } = useQuery(session());
  if (error && !data) {
    return (
      <Container maxWidth="sm" sx={{ py: 6 }}>
        <ProblemAlert error={error} onRetry={() => void refetch()} />
      </Container>
    );
  }
  if (!data) return <Loading height="100vh" />;
  const site = seenBy(data, me);
  // Numbers are written so from here on; a change of it draws the page anew.
  setDecimalMark(site.decimal_mark);
  return (
    <SiteContext value={site}>
      <LiveProvider site={code}>
        <SkipLink />
        <TopStrip />
        <NotConnected zone={site.zone} />
        <NearlyFull />
        <Ringing />
        <Container
          component="main"
          id="main"
          tabIndex={-1}
          maxWidth={false}
          sx={{ maxWidth: 1440, px: { xs: 2, md: 3 }, pt: 3, pb: { xs: 12, md: 6 }, outline: 'none' }}
        >
          <Outlet key={site.decimal_mark} />
        </Container>
        <RemovedNotice />
        <BottomBar />
        {/* Each page that is opened by its address has the same key, and begins at its top. */}
        <ScrollRestoration getKey={({ key, pathname }) => `${key} ${pathname}`} />
      </LiveProvider>
    </SiteContext>
  );
}

/** Rings when an alarm comes, if this browser is to. */
function Ringing() {
  const site = useSite();
  useRinging(useQuery(alarmCounts(site.code)).data);
  return null;
}

/** Past the strip, for who goes by keyboard. */
function SkipLink() {
  return (
    <Link
      href="#main"
      sx={{
        position: 'fixed',
        left: 8,
        top: -80,
        zIndex: 1400,
        p: 1,
        bgcolor: 'background.paper',
        '&:focus': { top: 8 },
      }}
    >
      To the page
    </Link>
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

function NearlyFull() {
  const { data } = useQuery(storage());
  if (!data?.nearly_full || data.budget_bytes === undefined) return null;
  const share = Math.min(100, Math.floor((100 * data.used_bytes) / data.budget_bytes));
  return (
    <Alert severity={share >= 100 ? 'error' : 'warning'} sx={{ borderRadius: 0 }}>
      {share >= 100
        ? 'The room for readings is used up: what comes in is turned away until there is some.'
        : `${share} % of the room for readings is used. When it is full, what comes in is turned away.`}{' '}
      Keep less of what is old (Keep, at each signal), or let the service use more (disk_budget_mb).
    </Alert>
  );
}
