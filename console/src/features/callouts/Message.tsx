import Box from '@mui/material/Box';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import type { CalloutAttempt, CalloutHistory } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { CalloutState } from './CalloutState';
import { OUTCOMES, WAYS } from './words';

const AS_WRITTEN = { whiteSpace: 'pre-wrap', overflowWrap: 'anywhere', m: 0 } as const;

/** A message as it was sent, and each attempt with the conversation. */
export function Message({ message: { callout, text, attempts } }: { message: CalloutHistory }) {
  const { zone } = useSite();
  const to = callout.address === '' || callout.address === callout.callee ? '' : `, ${callout.address}`;
  const by = callout.way ? ` by ${WAYS[callout.way]}` : '';
  return (
    <>
      <Paper sx={{ p: 3 }}>
        <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: 'anywhere' }}>
          To {callout.callee}
          {to}
          {by}, {dateTime(callout.made_at, zone)}: <CalloutState state={callout.state} />
        </Typography>
        <Box component="pre" sx={{ ...AS_WRITTEN, fontFamily: 'inherit', mt: 2 }}>
          {text}
        </Box>
      </Paper>
      <Paper sx={{ p: 3 }}>
        <Typography variant="h2" gutterBottom>
          Attempts
        </Typography>
        {attempts.length === 0 && <Typography>It has not been sent yet.</Typography>}
        <Stack spacing={2}>
          {attempts.map((attempt, place) => (
            <Attempt key={place} attempt={attempt} zone={zone} />
          ))}
        </Stack>
        {callout.state === 'waiting' && callout.next_at !== undefined && attempts.length > 0 && (
          <Typography sx={{ mt: 2 }}>It is tried again {dateTime(callout.next_at, zone)}.</Typography>
        )}
      </Paper>
    </>
  );
}

function Attempt({ attempt, zone }: { attempt: CalloutAttempt; zone: string }) {
  const outcome = attempt.outcome === undefined ? 'Going on' : (OUTCOMES[attempt.outcome] ?? attempt.outcome);
  return (
    <div>
      <Typography sx={{ fontWeight: 650 }}>
        {outcome}, {dateTime(attempt.began_at, zone)}
      </Typography>
      <Box component="pre" sx={{ ...AS_WRITTEN, typography: 'body2', fontFamily: 'var(--mono)' }}>
        {attempt.said}
      </Box>
    </div>
  );
}
