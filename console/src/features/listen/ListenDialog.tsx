import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useId, useState } from 'react';
import type { Span } from '../../api/pastQueries';
import { keyOf, type Drawn } from '../../chart/drawn';
import { SignalChoice } from '../../chart/SignalChoice';
import type { Pieces } from '../../chart/liveSummary';
import { story } from '../../chart/series';
import { fixed, withUnit } from '../../format/number';
import { dateTime } from '../../format/time';
import { courseOf, type Said } from './course';
import { useSound } from './useSound';

interface Props {
  signals: Drawn[];
  sets: Map<string, Pieces | undefined>;
  span: Span;
  zone: string;
  onClose: () => void;
}

const PACES = [4, 8, 15, 30];

/** A signal's course as sound: the higher the value, the higher the tone; its extremes are said. */
export default function ListenDialog({ signals, sets, span, zone, onClose }: Props) {
  const heading = useId();
  const [key, setKey] = useState(signals[0] ? keyOf(signals[0]) : '');
  const [seconds, setSeconds] = useState(8);
  const { isPlaying, reached, play, stop } = useSound();
  const signal = signals.find((one) => keyOf(one) === key);
  const set = sets.get(key);
  const course = set && courseOf(set, span, seconds);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby={heading}>
      <DialogTitle id={heading}>Listen to a signal</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1 }}>
          <SignalChoice signals={signals} value={key} onChange={setKey} />
          <TextField
            select
            label="The time shown in"
            value={seconds}
            onChange={(event) => setSeconds(Number(event.target.value))}
          >
            {PACES.map((pace) => (
              <MenuItem key={pace} value={pace}>
                {pace} seconds
              </MenuItem>
            ))}
          </TextField>
          <Typography>{signal && story(signal, set, zone, span.to)}</Typography>
          <Typography color="text.secondary">
            The lowest value sounds as a low tone, the highest two octaves above. A gap is silent.
          </Typography>
          <Typography role="status" sx={{ minHeight: 24, fontWeight: 600 }}>
            {signal && reached && words(signal, reached, zone)}
          </Typography>
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
        <Button
          variant="contained"
          disabled={course === undefined || course.tones.length === 0}
          onClick={() => (isPlaying ? stop() : course && play(course.tones, course.said))}
        >
          {isPlaying ? 'Stop' : 'Listen'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function words({ decimals, symbol }: Drawn, { kind, piece }: Said, zone: string): string {
  const value = fixed(kind === 'lowest' ? piece.min : piece.max, decimals);
  const name = kind === 'lowest' ? 'Lowest' : 'Highest';
  return `${name}: ${withUnit(value, symbol)} at ${dateTime(piece.start_ms, zone)}`;
}
