import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { alarmHistory } from '../../api/alarmQueries';
import { calloutsOfAlarm } from '../../api/calloutQueries';
import type { Alarm, AlarmHistory, AlarmStep } from '../../api/schema';
import { May } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { dateTime } from '../../format/time';
import { CalloutTable } from '../callouts/CalloutTable';
import { AlarmTabs } from './AlarmTabs';
import { AlarmValue } from './AlarmValue';
import { SeverityMark } from './SeverityMark';
import { ShelveDialog } from './ShelveDialog';
import { isWaiting, placeOf, STATES, STEPS } from './words';
import { useAnswer } from './useAnswer';

/** What is shown before and after an alarm in a chart, in milliseconds. */
const AROUND = 3_600_000;

/** One alarm: what is wrong, what to do, and what happened to it. */
export function AlarmPage() {
  const site = useSite();
  const { alarm = '' } = useParams();
  const { data, error, refetch } = useQuery(alarmHistory(site.code, Number(alarm)));
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading height={320} />;
  return (
    <>
      <PageHeading gutterBottom title={data.alarm.name}>
        {data.alarm.name}
      </PageHeading>
      <AlarmTabs />
      <Stack spacing={3} sx={{ maxWidth: 860 }}>
        <Now found={data} />
        <May right="answer">
          <Answers alarm={data.alarm} />
        </May>
        <Steps steps={data.steps} />
        <May right="answer">
          <Called alarm={data.alarm.id} />
        </May>
      </Stack>
    </>
  );
}

function Now({ found: { alarm, advice } }: { found: AlarmHistory }) {
  const site = useSite();
  const state = STATES[alarm.state] ?? alarm.state;
  const until = alarm.shelved_until === undefined ? '' : ` until ${dateTime(alarm.shelved_until, site.zone)}`;
  const facts = [
    { label: 'Where', text: <Where alarm={alarm} /> },
    { label: 'Severity', text: <SeverityMark severity={alarm.severity} /> },
    { label: 'State', text: `${state}${until}` },
    { label: 'Raised', text: dateTime(alarm.raised_at, site.zone) },
    ...(alarm.signal === undefined ? [] : [{ label: 'With the value', text: <AlarmValue alarm={alarm} /> }]),
    ...(alarm.cleared_at === undefined
      ? []
      : [{ label: 'Cleared', text: dateTime(alarm.cleared_at, site.zone) }]),
    ...(advice === '' ? [] : [{ label: 'What to do', text: advice }]),
  ];
  return (
    <Paper sx={{ p: 3 }}>
      <Table>
        <TableBody>
          {facts.map(({ label, text }) => (
            <TableRow key={label}>
              <TableCell component="th" scope="row" sx={{ width: 160, color: 'text.secondary' }}>
                {label}
              </TableCell>
              <TableCell sx={{ whiteSpace: 'pre-line', overflowWrap: 'anywhere' }}>{text}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}

function Where({ alarm }: { alarm: Alarm }) {
  const { code } = useSite();
  if (alarm.device === undefined) return placeOf(alarm);
  const from = Date.parse(alarm.raised_at) - AROUND;
  const to = (alarm.cleared_at === undefined ? serviceNow() : Date.parse(alarm.cleared_at)) + AROUND;
  const chart = `/sites/${code}/charts?signals=${encodeURIComponent(placeOf(alarm))}&from=${from}&to=${Math.round(to)}`;
  return (
    <>
      <Link component={RouterLink} to={`/sites/${code}/devices/${alarm.device}`}>
        {placeOf(alarm)}
      </Link>
      {alarm.signal !== undefined && (
        <>
          {', '}
          <Link component={RouterLink} to={chart}>
            chart of the time
          </Link>
        </>
      )}
    </>
  );
}

function Answers({ alarm }: { alarm: Alarm }) {
  const { code } = useSite();
  const [note, setNote] = useState('');
  const [isShelving, setShelving] = useState(false);
  const answer = useAnswer(code);
  const ids = [alarm.id];
  const isOver = alarm.state === 'cleared';
  if (isOver) return null;
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        Answer
      </Typography>
      <Stack spacing={2}>
        {isWaiting(alarm) && (
          <TextField
            label="What you say with it"
            value={note}
            onChange={(event) => setNote(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 1000 } }}
          />
        )}
        <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: 'wrap' }}>
          {isWaiting(alarm) && (
            <Button
              variant="contained"
              loading={answer.isPending}
              onClick={() =>
                answer.mutate(
                  { ids, answer: { answer: 'acknowledge', note } },
                  { onSuccess: () => setNote('') },
                )
              }
            >
              Acknowledge
            </Button>
          )}
          {alarm.state === 'shelved' ? (
            <Button variant="outlined" onClick={() => answer.mutate({ ids, answer: { answer: 'unshelve' } })}>
              Shelve it no longer
            </Button>
          ) : (
            <Button variant="outlined" onClick={() => setShelving(true)}>
              Shelve
            </Button>
          )}
          {alarm.state === 'out_of_service' ? (
            <Button variant="outlined" onClick={() => answer.mutate({ ids, answer: { answer: 'put_back' } })}>
              Put it back into service
            </Button>
          ) : (
            <Button
              variant="outlined"
              onClick={() => answer.mutate({ ids, answer: { answer: 'take_out', note } })}
            >
              Take it out of service
            </Button>
          )}
        </Stack>
        {answer.error && <ProblemAlert error={answer.error} />}
      </Stack>
      {isShelving && <ShelveDialog site={code} id={alarm.id} onClose={() => setShelving(false)} />}
    </Paper>
  );
}

function Called({ alarm }: { alarm: number }) {
  const { code } = useSite();
  const { data } = useQuery(calloutsOfAlarm(code, alarm));
  if (!data || data.items.length === 0) return null;
  return (
    <div>
      <Typography variant="h2" gutterBottom>
        Who was called
      </Typography>
      <CalloutTable callouts={data.items} />
    </div>
  );
}

function Steps({ steps }: { steps: AlarmStep[] }) {
  const { zone } = useSite();
  return (
    <Paper sx={{ p: 3 }}>
      <Typography variant="h2" gutterBottom>
        What happened
      </Typography>
      <Table size="small">
        <TableBody>
          {steps.map((step, place) => (
            <TableRow key={place}>
              <TableCell sx={{ whiteSpace: 'nowrap', width: 190 }}>{dateTime(step.at, zone)}</TableCell>
              <TableCell>
                {STEPS[step.step] ?? step.step}
                {step.who !== undefined && ` by ${step.who}`}
                {step.note !== undefined && step.note !== '' && (
                  <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: 'anywhere' }}>
                    {step.note}
                  </Typography>
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}
