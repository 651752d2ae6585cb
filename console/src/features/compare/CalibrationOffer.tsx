import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useMutation } from '@tanstack/react-query';
import { calibrate, keepCalibration } from '../../api/calibration';
import { signalPath } from '../../api/queries';
import type { Compared, Comparison } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { added, withUnit, worked } from '../../format/number';

/** Offers the line as a calibration of the other. */
export function CalibrationOffer({ found, other }: { found: Comparison; other: Compared }) {
  const site = useSite();
  const [device = '', signal = ''] = other.signal.split('/');
  const line = other.figures?.line;
  const path = signalPath(site.code, device, signal);
  const save = useMutation({
    mutationFn: async () => {
      // Two points of the line say all there is of it.
      const pairs = [0, 1].map((said) => ({
        said,
        right: (line?.intercept ?? 0) + said * (line?.slope ?? 1),
      }));
      return keepCalibration(path, await calibrate(path, pairs));
    },
  });
  if (!line) return null;
  return (
    <Paper sx={{ p: 2, mt: 3 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Calibration
      </Typography>
      <Typography sx={{ mb: 1.5 }}>
        {found.reference} = {worked(line.slope)} × {other.signal} {added(line.intercept, found.symbol ?? '')},
        give or take {withUnit(worked(line.residual), found.symbol ?? '')}. Only right where the reference is.
      </Typography>
      <Button
        variant="outlined"
        loading={save.isPending}
        disabled={save.isSuccess}
        onClick={() => save.mutate()}
      >
        Calibrate {other.signal} by it from now on
      </Button>
      {save.isSuccess && (
        <Typography role="status" sx={{ mt: 1 }}>
          It is the last step of its conversion now. What has been recorded stays until its past is made anew.
        </Typography>
      )}
      {save.error && <ProblemAlert error={save.error} />}
    </Paper>
  );
}
