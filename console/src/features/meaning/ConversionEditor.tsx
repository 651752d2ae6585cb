import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import type { Converting, ConversionStep, TriedMeaning } from '../../api/schema';
import { withUnit, worked } from '../../format/number';
import { UnitField } from '../set-up/fields';
import { StepFields } from './StepFields';
import { STEPS, begin, kindOf } from './steps';

interface Props {
  conversion: Converting;
  onChange: (conversion: Converting) => void;
  /** What the service makes of it, step by step. */
  tried: TriedMeaning | undefined;
}

/** A chain of steps, each with what comes out of it. */
export function ConversionEditor({ conversion, onChange, tried }: Props) {
  const { steps = [] } = conversion;
  const put = (next: ConversionStep[]) => onChange({ ...conversion, steps: next });
  const move = (at: number, by: number) => {
    const next = [...steps];
    const [step] = next.splice(at, 1);
    if (step) next.splice(at + by, 0, step);
    put(next);
  };
  return (
    <Stack spacing={1.5}>
      <Box sx={{ maxWidth: 260 }}>
        <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
          What is sent is in this unit; leave it empty for counts and other plain numbers.
        </Typography>
        <UnitField
          value={conversion.from ?? ''}
          onChange={(from) => onChange(from === '' ? { steps } : { from, steps })}
        />
      </Box>
      <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0, display: 'grid', gap: 1.5 }}>
        {steps.map((step, at) => (
          <Box component="li" key={`${at} ${step.step}`}>
            <StepCard
              step={step}
              at={at}
              count={steps.length}
              tried={tried}
              onChange={(changed) => put(steps.map((old, place) => (place === at ? changed : old)))}
              onMove={(by) => move(at, by)}
              onRemove={() => put(steps.filter((_, place) => place !== at))}
            />
          </Box>
        ))}
      </Box>
      <TextField
        select
        label="Add a step"
        value=""
        onChange={(e) => {
          const kind = STEPS.find(({ step }) => step === e.target.value);
          if (kind) put([...steps, begin(kind)]);
        }}
        sx={{ maxWidth: 300 }}
      >
        {STEPS.map(({ step, title }) => (
          <MenuItem key={step} value={step}>
            {title}
          </MenuItem>
        ))}
      </TextField>
    </Stack>
  );
}

interface CardProps {
  step: ConversionStep;
  at: number;
  count: number;
  tried: TriedMeaning | undefined;
  onChange: (step: ConversionStep) => void;
  onMove: (by: number) => void;
  onRemove: () => void;
}

function StepCard({ step, at, count, tried, onChange, onMove, onRemove }: CardProps) {
  const kind = kindOf(step);
  const wrong = tried?.wrong?.step === at ? tried.wrong.detail : undefined;
  const title = kind?.title ?? step.step;
  return (
    <Paper sx={{ p: 1.5, borderColor: wrong === undefined ? 'divider' : 'error.main' }}>
      <Stack
        direction="row"
        useFlexGap
        spacing={1}
        sx={{ alignItems: 'baseline', flexWrap: 'wrap', mb: 1.5 }}
      >
        <Typography variant="h3" component="h4">
          {at + 1}. {title}
        </Typography>
        <Typography variant="body2" color="textSecondary" sx={{ flex: 1, minWidth: 120 }}>
          {kind?.says}
        </Typography>
        <Button size="small" disabled={at === 0} onClick={() => onMove(-1)} aria-label={`Move ${title} up`}>
          Up
        </Button>
        <Button
          size="small"
          disabled={at === count - 1}
          onClick={() => onMove(1)}
          aria-label={`Move ${title} down`}
        >
          Down
        </Button>
        <Button size="small" color="error" onClick={onRemove} aria-label={`Remove ${title}`}>
          Remove
        </Button>
      </Stack>
      {kind ? (
        <StepFields kind={kind} step={step} onChange={onChange} />
      ) : (
        <Typography color="textSecondary">This console does not know the step; it stays as it is.</Typography>
      )}
      <Outcome result={tried?.steps?.[at]} wrong={wrong} />
    </Paper>
  );
}

function Outcome({
  result,
  wrong,
}: {
  result: NonNullable<TriedMeaning['steps']>[number] | undefined;
  wrong: string | undefined;
}) {
  const text = () => {
    if (wrong !== undefined) return wrong;
    if (!result) return '\u00a0';
    if (result.output === undefined) return `gives nothing: ${result.why ?? ''}`;
    return `gives ${withUnit(worked(result.output), result.symbol ?? '')}`;
  };
  const isBad = wrong !== undefined || (result !== undefined && result.output === undefined);
  return (
    <Typography
      data-outcome
      sx={{ mt: 1, color: isBad ? 'error.main' : 'text.secondary', overflowWrap: 'anywhere' }}
    >
      {text()}
    </Typography>
  );
}
