import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../../api/client';
import { kindPath } from '../../api/queries';
import type { Difference, Differences, Kind } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';

/** Shows what would change on the devices, then moves them. */
export function MoveDialog({ kind, onClose }: { kind: Kind; onClose: () => void }) {
  const site = useSite();
  const cache = useQueryClient();
  const path = `${kindPath(site.code, kind.code)}/move`;
  const plan = useQuery({
    queryKey: ['move', path, kind.revision],
    queryFn: () => api.post<Differences>(path, { dry_run: true }),
    gcTime: 0,
  });
  const move = useMutation({
    mutationFn: () => api.post<Differences>(path, {}),
    onSuccess: async () => {
      await cache.invalidateQueries({ queryKey: ['kinds', site.code] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Move the devices to revision {kind.revision}</DialogTitle>
      <DialogContent>
        {plan.isPending && <Loading height={80} />}
        {plan.error && <ProblemAlert error={plan.error} />}
        {plan.data && (
          <Box component="ul" sx={{ m: 0, pl: 0, listStyle: 'none' }}>
            {plan.data.differences.map((difference) => (
              <Box component="li" key={difference.path} sx={{ ...mono, py: 0.25, overflowWrap: 'anywhere' }}>
                {text(difference)}
              </Box>
            ))}
          </Box>
        )}
        {move.error && <ProblemAlert error={move.error} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave them</Button>
        <Button
          variant="contained"
          disabled={!plan.data}
          loading={move.isPending}
          onClick={() => move.mutate()}
        >
          Move them
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** One difference in a line: + new, − gone, ~ other than it was. */
function text({ path, from, to }: Difference): string {
  if (from === undefined) return `+ ${path}: ${to ?? ''}`;
  return to === undefined ? `\u2212 ${path}: ${from}` : `~ ${path}: ${from} → ${to}`;
}
