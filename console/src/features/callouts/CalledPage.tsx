import Button from '@mui/material/Button';
import List from '@mui/material/List';
import ListItem from '@mui/material/ListItem';
import ListItemText from '@mui/material/ListItemText';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useLocation } from 'react-router';
import { calledFor } from '../../api/calloutQueries';
import { api } from '../../api/client';
import type { Alarm, CalledFor } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { dateTime } from '../../format/time';
import { isWaiting, placeOf } from '../alarms/words';
import { EntryFrame } from '../entry/EntryFrame';

/** Where the address in a message leads. One press acknowledges: programs that look at messages open addresses. */
export function CalledPage() {
  const secret = useLocation().hash.slice(1);
  const { data, error } = useQuery(calledFor(secret));
  const acknowledge = useMutation({
    mutationFn: () => api.post<CalledFor>('/called-for/acknowledge', { secret }),
  });
  const called = acknowledge.data ?? data;
  if (error && !called) {
    return (
      <EntryFrame title="This address acknowledges nothing">
        <ProblemAlert error={error} />
        <Button href="/">To the alarms</Button>
      </EntryFrame>
    );
  }
  if (!called) return <Loading height="100vh" />;
  const isWanted = called.alarms.some(isWaiting);
  return (
    <EntryFrame title={isWanted ? `${called.callee}, you are called` : 'Somebody knows'}>
      <Typography color="textSecondary">{called.site}</Typography>
      <List>
        {called.alarms.map((alarm) => (
          <One key={alarm.id} alarm={alarm} zone={called.zone} />
        ))}
      </List>
      {acknowledge.error && <ProblemAlert error={acknowledge.error} />}
      {isWanted && (
        <Button
          variant="contained"
          size="large"
          loading={acknowledge.isPending}
          onClick={() => acknowledge.mutate()}
        >
          I know, and act on it
        </Button>
      )}
    </EntryFrame>
  );
}

function One({ alarm, zone }: { alarm: Alarm; zone: string }) {
  const known = alarm.acknowledged_by === undefined ? '' : `; ${alarm.acknowledged_by} knows`;
  const over = alarm.cleared_at === undefined ? '' : `, over since ${dateTime(alarm.cleared_at, zone)}`;
  return (
    <ListItem disableGutters>
      <ListItemText
        primary={alarm.name}
        secondary={`${alarm.severity}, ${placeOf(alarm)}, since ${dateTime(alarm.raised_at, zone)}${over}${known}`}
      />
    </ListItem>
  );
}
