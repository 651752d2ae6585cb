import Box from '@mui/material/Box';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api } from '../../api/client';
import { kindPath } from '../../api/queries';
import type { Difference, Differences, Kind } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { Loading } from '../../components/states';
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
    <FormDialog
      title={`Move the devices to revision ${kind.revision}`}
      submit="Move them"
      cancel="Leave them"
      width="sm"
      onSubmit={() => move.mutate()}
      onClose={onClose}
      isPending={move.isPending}
      error={move.error ?? plan.error}
      disabled={!plan.data}
    >
      {plan.isPending && <Loading height={80} />}
      {plan.data && (
        <Box component="ul" sx={{ m: 0, pl: 0, listStyle: 'none' }}>
          {plan.data.differences.map((difference) => (
            <Box component="li" key={difference.path} sx={{ ...mono, py: 0.25, overflowWrap: 'anywhere' }}>
              {text(difference)}
            </Box>
          ))}
        </Box>
      )}
    </FormDialog>
  );
}

/** One difference in a line: + new, − gone, ~ other than it was. */
function text({ path, from, to }: Difference): string {
  if (from === undefined) return `+ ${path}: ${to ?? ''}`;
  return to === undefined ? `\u2212 ${path}: ${from}` : `~ ${path}: ${from} → ${to}`;
}
