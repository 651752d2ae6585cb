import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { devicePath, joining as joiningQuery, kinds as kindsQuery } from '../../api/queries';
import type { Joining } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { useServiceNow } from '../../format/clock';

const MINUTES = 10;

/** Opens and closes a joining window, and counts it down while it is open. */
export function JoiningWindow({ device }: { device: string }) {
  const site = useSite();
  const cache = useQueryClient();
  const now = useServiceNow();
  const [kind, setKind] = useState('');
  const query = joiningQuery(site.code, device);
  const { data } = useQuery(query);
  const kinds = useQuery(kindsQuery(site.code));
  const path = `${devicePath(site.code, device)}/joining`;
  const change = useMutation({
    mutationFn: (open: boolean) =>
      open
        ? api.post<Joining>(path, { minutes: MINUTES, ...(kind === '' ? {} : { kind }) })
        : api.delete<Joining>(path),
    onSuccess: (changed) => cache.setQueryData(query.queryKey, changed),
  });
  const left = data?.until === undefined ? 0 : Date.parse(data.until) - now;
  return (
    <Box sx={{ mt: 2, display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', minHeight: 56 }}>
      {left > 0 ? (
        <>
          <Typography role="status">
            Joining window open for {age(left)} more: what is switched on now is admitted at once
            {data?.kind && `, as ${data.kind}`}.
          </Typography>
          <Button variant="outlined" loading={change.isPending} onClick={() => change.mutate(false)}>
            Close it
          </Button>
        </>
      ) : (
        <>
          <TextField
            select
            size="small"
            label="Kind of what joins"
            value={kind}
            onChange={(e) => setKind(e.target.value)}
            sx={{ minWidth: 200 }}
          >
            <MenuItem value="">None</MenuItem>
            {kinds.data?.map(({ code, description }) => (
              <MenuItem key={code} value={code}>
                {description.name}
              </MenuItem>
            ))}
          </TextField>
          <Button variant="outlined" loading={change.isPending} onClick={() => change.mutate(true)}>
            Open a joining window for {MINUTES} min
          </Button>
        </>
      )}
      {change.error && <ProblemAlert error={change.error} />}
    </Box>
  );
}
