import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { calibrate, keepCalibration } from '../../api/calibration';
import { signalPath } from '../../api/queries';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { added, withUnit, worked } from '../../format/number';
import { mono } from '../../theme/theme';
import { handPairs } from './handPairs';
import { parsePairs } from './pairs';

interface Props {
  device: string;
  signal: string;
  symbol: string;
}

/** From reference readings to a last step of the conversion. */
export function CalibrationSection({ device, signal, symbol }: Props) {
  const site = useSite();
  const client = useQueryClient();
  const path = signalPath(site.code, device, signal);
  const [text, setText] = useState('');
  const { pairs, wrong } = parsePairs(text);
  const work = useMutation({ mutationFn: () => calibrate(path, pairs) });
  const save = useMutation({
    mutationFn: async () => work.data && keepCalibration(path, work.data),
    onSuccess: (saved) => saved && client.setQueryData(['meaning', site.code, device, signal], saved),
  });
  const change = (next: string) => {
    setText(next);
    work.reset();
    save.reset();
  };
  const take = useMutation({
    mutationFn: () => handPairs(path),
    onSuccess: (found) => {
      if (found.length > 0) change(found.map(({ said, right }) => `${said} ${right}`).join('\n'));
    },
  });
  const line = work.data?.line;
  return (
    <>
      <Typography sx={{ mb: 1.5 }}>
        Where you know what was right, such as in melting ice and in boiling water: two pairs make a line,
        more the line that fits them best. It becomes the last step of the conversion.
      </Typography>
      <Stack direction="row" useFlexGap spacing={2} sx={{ flexWrap: 'wrap', alignItems: 'flex-start' }}>
        <TextField
          label="What it said, and what was right"
          value={text}
          onChange={(e) => change(e.target.value)}
          multiline
          minRows={3}
          error={wrong !== undefined}
          helperText={
            wrong === undefined
              ? `A pair a line${symbol === '' ? '' : `, in ${symbol}`}`
              : `Line ${wrong} is not two numbers`
          }
          placeholder={'0.6 0\n98.1 99.6'}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { sx: mono, spellCheck: false } }}
          sx={{ width: 280 }}
        />
        <Box sx={{ flex: 1, minWidth: 260 }}>
          <Button loading={take.isPending} onClick={() => take.mutate()} sx={{ height: 40, mr: 1 }}>
            Take readings by hand
          </Button>
          {take.data?.length === 0 && (
            <Typography sx={{ my: 1 }}>
              No reading by hand of the last year has one of the sensor within a quarter of an hour.
            </Typography>
          )}
          {take.error && <ProblemAlert error={take.error} />}
          <Button
            variant="outlined"
            disabled={pairs.length < 2 || wrong !== undefined}
            loading={work.isPending}
            onClick={() => work.mutate()}
            sx={{ height: 40 }}
          >
            Work the line out
          </Button>
          <Box role="status">
            {line && (
              <Typography sx={{ my: 1.5 }}>
                right = {worked(line.slope)} × said {added(line.intercept, symbol)}
                {pairs.length > 2 ? `, give or take ${withUnit(worked(line.residual), symbol)}` : ''}
              </Typography>
            )}
            {save.isSuccess && (
              <Typography>
                Kept. It holds for what comes from now on; the past can be made anew below.
              </Typography>
            )}
          </Box>
          {line && !save.isSuccess && (
            <Button variant="contained" loading={save.isPending} onClick={() => save.mutate()}>
              Keep it as the last step
            </Button>
          )}
          {work.error && <ProblemAlert error={work.error} />}
          {save.error && <ProblemAlert error={save.error} />}
        </Box>
      </Stack>
    </>
  );
}
