import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../../api/client';
import { health as healthQuery } from '../../api/peopleQueries';
import { session } from '../../api/queries';
import type { HealthPart } from '../../api/schema';
import { ServiceFrame } from '../../components/ServiceFrame';
import { Loading, ProblemAlert } from '../../components/states';
import { dateTime, OWN_ZONE } from '../../format/time';

/** How the service is doing, part by part. */
export function HealthPage() {
  const { data, error, refetch } = useQuery(healthQuery());
  return (
    <ServiceFrame title="How the service is doing">
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading />}
      {data && (
        <Stack spacing={2}>
          <Typography color="textSecondary">
            Key Lantern {data.version}. Its clock says {dateTime(data.now, OWN_ZONE)} ({OWN_ZONE}).
          </Typography>
          {data.parts.map((part) => (
            <Part key={part.name} part={part} />
          ))}
        </Stack>
      )}
    </ServiceFrame>
  );
}

const NAMES: Record<string, string> = {
  writer: 'Writing',
  queue: 'Queue',
  tasks: 'Tasks',
  certificate: 'Certificate',
  database: 'Database',
  disk: 'Disk',
  clock: 'Clock',
};

function Part({ part }: { part: HealthPart }) {
  const cache = useQueryClient();
  const { data: me } = useQuery(session());
  const confirm = useMutation({
    mutationFn: () => api.post('/clock/confirm'),
    onSuccess: () => cache.invalidateQueries({ queryKey: healthQuery().queryKey }),
  });
  const canConfirm = part.name === 'clock' && !part.is_well && me?.is_administrator === true;
  return (
    <Alert
      severity={part.is_well ? 'success' : 'error'}
      action={
        canConfirm && (
          <Button color="inherit" size="small" loading={confirm.isPending} onClick={() => confirm.mutate()}>
            The clock is right
          </Button>
        )
      }
    >
      <Typography component="h2" sx={{ fontWeight: 650 }}>
        {NAMES[part.name] ?? part.name}: {part.is_well ? 'well' : 'not well'}
      </Typography>
      {part.detail}
      {confirm.error && <ProblemAlert error={confirm.error} />}
    </Alert>
  );
}
