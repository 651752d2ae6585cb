import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import Stack from '@mui/material/Stack';
import Switch from '@mui/material/Switch';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { openAlarms } from '../../api/alarmQueries';
import { useMay } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTable } from './AlarmTable';
import { AlarmTabs } from './AlarmTabs';
import { CallButtons } from './CallButtons';
import { ring, setRings, useRings } from '../../components/ringing';
import { inOrder, isWaiting } from './words';
import { useAnswer } from './useAnswer';

/** Alarms that go on or that nobody has acknowledged: those that somebody has to act on first. */
export function AlarmsPage() {
  const site = useSite();
  const may = useMay('answer');
  const { data, error, refetch } = useQuery(openAlarms(site.code));
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const answer = useAnswer(site.code);
  const alarms = inOrder(data ?? []);
  const waiting = alarms.filter(isWaiting).map((alarm) => alarm.id);
  // One that somebody else has answered meanwhile is chosen no longer.
  const ids = waiting.filter((id) => chosen.has(id));
  const choose = (id: number) =>
    setChosen((old) => new Set(old.has(id) ? [...old].filter((one) => one !== id) : [...old, id]));
  const acknowledge = (which: number[]) =>
    answer.mutate(
      { ids: which, answer: { answer: 'acknowledge' } },
      { onSuccess: () => setChosen(new Set()) },
    );
  return (
    <>
      <PageHeading gutterBottom>Alarms</PageHeading>
      <AlarmTabs />
      <CallButtons />
      <RingChoice />
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.length === 0 && (
        <Empty title="Nothing is wrong">
          What a watch finds stands here until it is over and somebody has looked. Watches are made under
          Watches.
        </Empty>
      )}
      {alarms.length > 0 && (
        <>
          <Typography sx={{ mb: 2 }}>{sentence(alarms.length, waiting.length)}</Typography>
          {may && waiting.length > 0 && (
            <Stack direction="row" useFlexGap spacing={1} sx={{ mb: 2, flexWrap: 'wrap' }}>
              <Button
                variant="contained"
                disabled={ids.length === 0}
                loading={answer.isPending}
                onClick={() => acknowledge(ids)}
              >
                {ids.length === 0 ? 'Acknowledge' : `Acknowledge ${ids.length}`}
              </Button>
              <Button onClick={() => setChosen(new Set(ids.length === waiting.length ? [] : waiting))}>
                {ids.length === waiting.length ? 'Choose none' : `Choose all ${waiting.length}`}
              </Button>
            </Stack>
          )}
          {answer.error && <ProblemAlert error={answer.error} />}
          <AlarmTable alarms={alarms} {...(may && { chosen, onChoose: choose })} />
        </>
      )}
    </>
  );
}

/** Whether this browser rings when an alarm comes. It rings once when it is chosen, so that one knows the sound. */
function RingChoice() {
  const rings = useRings();
  return (
    <FormControlLabel
      control={
        <Switch
          checked={rings}
          onChange={(_, chosen) => {
            setRings(chosen);
            if (chosen) ring(false);
          }}
        />
      }
      label="Ring in this browser when an alarm comes"
      sx={{ mb: 2 }}
    />
  );
}

function sentence(all: number, waiting: number): string {
  if (waiting === 0) return 'Somebody knows of all of these.';
  const verb = waiting === 1 ? 'waits' : 'wait';
  return `${waiting} of ${all} ${verb} for somebody to say that they know.`;
}
