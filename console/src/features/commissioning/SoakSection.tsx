import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import type { Commissioning, Soak } from '../../api/schema';
import { NumberEntry } from '../../components/NumberEntry';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { numberOrNull } from '../../format/entry';
import { useServiceNow } from '../../format/clock';
import { dateTime } from '../../format/time';
import { fixed } from '../../format/number';

interface Props {
  soak: Soak | undefined;
  path: string;
  inTrial: boolean;
}

/** The soak test: the device at its place, left alone overnight. */
export function SoakSection({ soak, path, inTrial }: Props) {
  const site = useSite();
  const cache = useQueryClient();
  const [hours, setHours] = useState('12');
  const keep = (judged: Commissioning) =>
    cache.setQueryData(['commissioning', site.code, judged.device], judged);
  const begin = useMutation({
    mutationFn: () => api.post<Commissioning>(`${path}/soak`, { hours: numberOrNull(hours) ?? NaN }),
    onSuccess: keep,
  });
  const end = useMutation({ mutationFn: () => api.delete<Commissioning>(`${path}/soak`), onSuccess: keep });
  const error = begin.error ?? end.error;
  return (
    <Box component="section" sx={{ mb: 3 }}>
      <Typography variant="h2" gutterBottom>
        Soak test
      </Typography>
      {error && <ProblemAlert error={error} />}
      {soak ? <Running soak={soak} /> : <Explanation />}
      {inTrial && (
        <Box sx={{ display: 'flex', gap: 1, mt: 1.5, displayPrint: 'none' }}>
          {soak && !soak.is_over ? (
            <Button onClick={() => end.mutate()} loading={end.isPending}>
              End it without a result
            </Button>
          ) : (
            <>
              <NumberEntry label="Hours" size="small" value={hours} onChange={setHours} sx={{ width: 110 }} />
              <Button
                variant="outlined"
                onClick={() => begin.mutate()}
                loading={begin.isPending}
                disabled={!(Number(numberOrNull(hours)) > 0)}
              >
                {soak ? 'Begin another' : 'Begin the soak test'}
              </Button>
            </>
          )}
        </Box>
      )}
    </Box>
  );
}

function Explanation() {
  return (
    <Typography color="textSecondary" sx={{ maxWidth: 720 }}>
      Leave the device at its place for a night. The service counts what comes and finds the longest gap, so
      nobody has to read it off a chart.
    </Typography>
  );
}

function Running({ soak }: { soak: Soak }) {
  const site = useSite();
  const now = useServiceNow();
  const [from, to] = [Date.parse(soak.from), Date.parse(soak.to)];
  const done = Math.min(100, Math.max(0, ((now - from) / (to - from)) * 100));
  const share = soak.expected === 0 ? 100 : (soak.received / soak.expected) * 100;
  return (
    <Paper sx={{ p: 2 }}>
      <Typography>
        {soak.expected === 0
          ? 'No report was due yet.'
          : `${soak.received} of ${soak.expected} reports came (${fixed(share, 1)} %). The longest gap was ${age(soak.longest_gap_s * 1000)}, from ${dateTime(soak.gap_from, site.zone)}.`}
      </Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
        {soak.is_over
          ? `Over since ${dateTime(soak.to, site.zone)}.`
          : `Until ${dateTime(soak.to, site.zone)}, ${age(to - now)} to go.`}
      </Typography>
      <LinearProgress variant="determinate" value={done} aria-label="Time of the soak test that is over" />
    </Paper>
  );
}
