import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../../api/client';
import { removedSites } from '../../api/peopleQueries';
import { part } from '../../api/queries';
import { ProblemAlert } from '../../components/states';
import { dateTime, OWN_ZONE } from '../../format/time';

/** Sites that were removed within the last day and can be brought back; nothing if none was. */
export function RemovedSites() {
  const cache = useQueryClient();
  const { data = [] } = useQuery(removedSites());
  const restore = useMutation({
    mutationFn: (code: string) => api.post(`/removed-sites/${part(code)}/restore`),
    onSuccess: () => cache.invalidateQueries(),
  });
  if (data.length === 0) return null;
  return (
    <Paper sx={{ p: 2, mt: 4 }}>
      <Typography variant="h2" gutterBottom>
        Removed within the last day
      </Typography>
      {restore.error && <ProblemAlert error={restore.error} />}
      {data.map((site) => (
        <Stack
          key={`${site.code} ${site.at}`}
          direction="row"
          sx={{ alignItems: 'center', justifyContent: 'space-between', gap: 2 }}
        >
          <div>
            {site.name}
            <Typography color="textSecondary">kept until {dateTime(site.until, OWN_ZONE)}</Typography>
          </div>
          <Button
            aria-label={`Bring ${site.name} back`}
            loading={restore.isPending && restore.variables === site.code}
            onClick={() => restore.mutate(site.code)}
          >
            Bring back
          </Button>
        </Stack>
      ))}
    </Paper>
  );
}
