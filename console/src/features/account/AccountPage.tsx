import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link as RouterLink } from 'react-router';
import { api } from '../../api/client';
import { account as accountQuery } from '../../api/peopleQueries';
import { part } from '../../api/queries';
import type { Account } from '../../api/schema';
import { ServiceFrame } from '../../components/ServiceFrame';
import { Loading, ProblemAlert } from '../../components/states';
import { roleLabel } from '../people/roles';
import { AboutYou } from './AboutYou';
import { PasswordForm } from './PasswordForm';
import { SecondFactor } from './SecondFactor';
import { Sessions } from './Sessions';

/** One's own account. */
export function AccountPage() {
  const { data, error, refetch } = useQuery(accountQuery());
  return (
    <ServiceFrame title="Your account">
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && (
        <Stack spacing={3}>
          <Part title="About you">
            <AboutYou account={data} />
          </Part>
          <Part title="Your sites">
            <Sites account={data} />
          </Part>
          <Part title="Password">
            <PasswordForm />
          </Part>
          <Part title="Second factor">
            <SecondFactor account={data} />
          </Part>
          <Part title="Log-ins and tokens">
            <Sessions account={data} />
          </Part>
        </Stack>
      )}
    </ServiceFrame>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        {title}
      </Typography>
      {children}
    </Paper>
  );
}

function Sites({ account }: { account: Account }) {
  const cache = useQueryClient();
  const leave = useMutation({
    mutationFn: (code: string) => api.delete(`/account/sites/${part(code)}`),
    onSuccess: () => cache.invalidateQueries(),
  });
  return (
    <>
      {account.is_administrator && (
        <Typography color="textSecondary" sx={{ mb: 1 }}>
          You are an administrator of the service and may do everything everywhere.
        </Typography>
      )}
      {!account.is_administrator && account.sites.length === 0 && (
        <Typography color="textSecondary">
          You have no role on any site. Ask an owner to invite you.
        </Typography>
      )}
      {leave.error && <ProblemAlert error={leave.error} />}
      {account.sites.map((site) => (
        <Box key={site.code} sx={{ display: 'flex', alignItems: 'center', gap: 2, flexWrap: 'wrap' }}>
          <Link component={RouterLink} to={`/sites/${site.code}`}>
            {site.name}
          </Link>
          <Typography color="textSecondary">{roleLabel(site.role)}</Typography>
          <Button size="small" aria-label={`Leave ${site.name}`} onClick={() => leave.mutate(site.code)}>
            Leave
          </Button>
        </Box>
      ))}
    </>
  );
}
