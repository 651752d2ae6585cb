import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useMutation } from '@tanstack/react-query';
import { api } from '../../api/client';
import type { Command, CommandStage } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { asSent, fixed } from '../../format/number';
import { dateTime } from '../../format/time';
import { May } from '../../components/may';

/** A sign and a word for each stage, so that colour alone tells nothing. */
const STAGES: Record<CommandStage, { sign: string; word: string; color: string }> = {
  waiting: { sign: '…', word: 'waiting for the device', color: 'text.secondary' },
  delivered: { sign: '→', word: 'delivered, no answer yet', color: 'text.secondary' },
  done: { sign: '✓', word: 'done', color: 'secondary.main' },
  refused: { sign: '✕', word: 'refused', color: 'error.main' },
  unanswered: { sign: '?', word: 'not answered in time', color: 'warning.main' },
  uncollected: { sign: '?', word: 'not taken by the device in time', color: 'warning.main' },
  replaced: { sign: '↷', word: 'replaced by a later one', color: 'text.secondary' },
  withdrawn: { sign: '↶', word: 'withdrawn', color: 'text.secondary' },
};

/** How long from one time to another, in words. */
function took(from: string, to: string): string {
  const ms = Math.max(0, Date.parse(to) - Date.parse(from));
  if (ms < 50) return 'at once';
  return ms < 10_000 ? `after ${fixed(ms / 1000, 1)} s` : `after ${Math.round(ms / 1000)} s`;
}

/** The life of a command: given, delivered, answered. */
export function life(command: Command): string {
  const parts = [`given by ${command.given_by}`];
  if (command.delivered_at !== undefined)
    parts.push(`delivered ${took(command.given_at, command.delivered_at)}`);
  if (command.ended_at !== undefined && ['done', 'refused'].includes(command.stage))
    parts.push(`answered ${took(command.given_at, command.ended_at)}`);
  return parts.join(', ');
}

/** The last commands and what became of them, as it happens. */
export function CommandLines({ path, commands }: { path: string; commands: Command[] }) {
  const site = useSite();
  const withdraw = useMutation({
    mutationFn: (id: number) => api.delete<Command>(`${path}/commands/${id}`),
  });
  if (commands.length === 0) return null;
  return (
    <Box sx={{ mt: 3 }}>
      <Typography variant="h3" gutterBottom>
        What it was told
      </Typography>
      {withdraw.error && <ProblemAlert error={withdraw.error} />}
      <Box component="ul" aria-live="polite" sx={{ m: 0, p: 0, listStyle: 'none' }}>
        {commands.map((command) => {
          const stage = STAGES[command.stage];
          const words = Object.entries(command.arguments).map(
            ([name, value]) => `${name} ${value === true ? 'on' : value === false ? 'off' : asSent(value)}`,
          );
          return (
            <Box
              component="li"
              key={command.id}
              sx={{
                display: 'grid',
                gridTemplateColumns: { xs: '28px 1fr', sm: '28px 170px 1fr auto' },
                columnGap: 1,
                py: 0.75,
                borderBottom: 1,
                borderColor: 'divider',
                alignItems: 'baseline',
              }}
            >
              <Box aria-hidden sx={{ color: stage.color, fontWeight: 700, textAlign: 'center' }}>
                {stage.sign}
              </Box>
              <Typography variant="body2" color="textSecondary" sx={{ gridColumn: { xs: 2, sm: 2 } }}>
                {dateTime(command.given_at, site.zone)}
              </Typography>
              <Box sx={{ gridColumn: { xs: 2, sm: 3 }, minWidth: 0, overflowWrap: 'anywhere' }}>
                <Typography>
                  {[command.name, ...words].join(' ')}:{' '}
                  <Box component="span" sx={{ color: stage.color, fontWeight: 600 }}>
                    {stage.word}
                  </Box>
                  {command.answer ? `: ${command.answer}` : ''}
                </Typography>
                <Typography variant="body2" color="textSecondary">
                  {life(command)}
                </Typography>
              </Box>
              {(command.stage === 'waiting' || command.stage === 'delivered') && (
                <May right="command">
                  <Button size="small" onClick={() => withdraw.mutate(command.id)}>
                    Withdraw
                  </Button>
                </May>
              )}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}
