import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { commissioning, devicePath } from '../../api/queries';
import type { Commissioning, Step } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { DummySection } from './DummySection';
import { GoLiveDialog } from './GoLiveDialog';
import { SoakSection } from './SoakSection';
import { mendOf, type StepMend } from './mends';

/** The checklist of a new device, which ticks by itself, and its report for print. */
export function CommissioningPage() {
  const site = useSite();
  const { device: code = '' } = useParams();
  const { data, error, refetch } = useQuery(commissioning(site.code, code));
  const [goingLive, setGoingLive] = useState(false);
  if (error && !data) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!data) return <Loading />;
  const path = `${devicePath(site.code, code)}/commissioning`;
  const inTrial = data.state === 'trial';
  return (
    <Box sx={{ maxWidth: 960 }}>
      <PageHeading>
        Commissioning of{' '}
        <Link component={RouterLink} to={`/sites/${site.code}/devices/${code}`} underline="always">
          {data.name}
        </Link>
      </PageHeading>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        {since(data, site.zone)}
      </Typography>
      <Paper
        sx={{
          p: 2,
          mb: 3,
          display: 'flex',
          flexWrap: 'wrap',
          gap: 2,
          alignItems: 'center',
          justifyContent: 'space-between',
        }}
      >
        <Typography variant="h2" component="p" role="status">
          {data.verdict}
        </Typography>
        <Box sx={{ display: 'flex', gap: 1, displayPrint: 'none' }}>
          <Button onClick={() => window.print()}>Print</Button>
          <Button href={`/api/v1${path}/report`} target="_blank">
            Report as Markdown
          </Button>
          {inTrial && (
            <Button variant="contained" onClick={() => setGoingLive(true)}>
              Go live
            </Button>
          )}
        </Box>
      </Paper>
      <Paper sx={{ px: 2, py: 1, mb: 3 }}>
        <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0 }} aria-label="Checklist">
          {data.steps.map((step) => (
            <StepLine
              key={step.code}
              step={step}
              mend={mendOf(step, `/sites/${site.code}/devices/${code}`)}
            />
          ))}
        </Box>
      </Paper>
      {data.dummies.length > 0 && <DummySection dummies={data.dummies} path={path} inTrial={inTrial} />}
      <SoakSection soak={data.soak} path={path} inTrial={inTrial} />
      {goingLive && <GoLiveDialog commissioning={data} path={path} onClose={() => setGoingLive(false)} />}
    </Box>
  );
}

function since(data: Commissioning, zone: string): string {
  if (data.state === 'live') return 'Live. What is shown is judged by what came since it was made.';
  return data.trial_since === undefined ? 'In trial.' : `In trial since ${dateTime(data.trial_since, zone)}.`;
}

const STATES = {
  passed: { word: 'passed', color: 'secondary.main', path: 'M5 12.500l4.500 4.500L19 7' },
  failed: { word: 'failed', color: 'error.main', path: 'M12 5v9m0 4.500v.5' },
  open: { word: 'open', color: 'text.secondary', path: '' },
} as const;

function StepLine({ step, mend }: { step: Step; mend: StepMend | undefined }) {
  const state = STATES[step.state];
  return (
    <Box
      component="li"
      data-step={step.code}
      data-state={step.state}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '32px minmax(0, 1fr)', sm: '32px minmax(0, 1fr) auto' },
        gap: 1.5,
        py: 1.25,
        '& + &': { borderTop: 1, borderColor: 'divider' },
      }}
    >
      <Box sx={{ color: state.color, pt: '2px' }}>
        <svg width={28} height={28} viewBox="0 0 24 24" role="img" aria-label={state.word}>
          <rect
            x={2.5}
            y={2.5}
            width={19}
            height={19}
            rx={4}
            fill="none"
            stroke="currentColor"
            strokeWidth={1.5}
            strokeDasharray={step.state === 'open' ? '2 3' : undefined}
          />
          <path d={state.path} fill="none" stroke="currentColor" strokeWidth={2.4} strokeLinecap="round" />
        </svg>
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h3">{step.title}</Typography>
        <Typography color="textSecondary" sx={{ overflowWrap: 'anywhere' }}>
          {step.finding}
        </Typography>
      </Box>
      {mend && (
        <Button
          component={RouterLink}
          to={mend.to}
          sx={{
            gridColumn: { xs: 2, sm: 'auto' },
            justifySelf: 'start',
            alignSelf: 'center',
            displayPrint: 'none',
          }}
        >
          {mend.label}
        </Button>
      )}
    </Box>
  );
}
