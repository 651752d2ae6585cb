import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useId, useState } from 'react';
import type { Span } from '../../api/pastQueries';
import { keyOf, type Drawn } from '../../chart/drawn';
import { Loading, ProblemAlert } from '../../components/states';
import { mono } from '../../theme/theme';
import { exportPath, FORMATS, type Format } from './exportPath';
import { firstOf } from './firstOf';

interface Props {
  site: string;
  zone: string;
  signals: Drawn[];
  span: Span;
  /** Saves the chart as it stands as a picture. */
  onPicture: () => void;
  onClose: () => void;
}

/** Takes the readings of a chart away as a file, whose first lines are shown before. */
export function TakeAwayDialog({ site, zone, signals, span, onPicture, onClose }: Props) {
  const heading = useId();
  const [format, setFormat] = useState<Format>('csv');
  const [all, setAll] = useState(false);
  const [isUtc, setUtc] = useState(false);
  const { hasQuality } = FORMATS.find(({ id }) => id === format) ?? FORMATS[0];
  const columns = signals.map((signal) =>
    signal.asked === undefined ? keyOf(signal) : `${keyOf(signal)}:${signal.asked}`,
  );
  const path = exportPath(site, columns, span, {
    format,
    all: all && hasQuality,
    zone: isUtc ? 'UTC' : zone,
  });
  const { data, error } = useQuery({ queryKey: ['export', path], queryFn: () => firstOf(path), gcTime: 0 });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby={heading}>
      <DialogTitle id={heading}>Take away</DialogTitle>
      <DialogContent>
        <Stack direction="row" useFlexGap spacing={2} sx={{ flexWrap: 'wrap', alignItems: 'center', pt: 1 }}>
          <TextField
            select
            label="Format"
            value={format}
            onChange={(event) => setFormat(event.target.value as Format)}
            sx={{ width: 300 }}
          >
            {FORMATS.map(({ id, label }) => (
              <MenuItem key={id} value={id}>
                {label}
              </MenuItem>
            ))}
          </TextField>
          <FormControlLabel
            control={<Switch checked={isUtc} onChange={(_, value) => setUtc(value)} />}
            label="Times in UTC"
          />
          <FormControlLabel
            control={<Switch checked={all && hasQuality} onChange={(_, value) => setAll(value)} />}
            disabled={!hasQuality}
            label="Suspect and rejected too"
          />
        </Stack>
        <Typography variant="body2" color="text.secondary" sx={{ mt: 2 }}>
          The file begins like this:
        </Typography>
        {error && <ProblemAlert error={error} />}
        {!data && !error && <Loading height={120} />}
        {data !== undefined && (
          <Box
            component="pre"
            tabIndex={0}
            aria-label="The first lines of the file"
            sx={{
              ...mono,
              fontSize: 13,
              overflow: 'auto',
              minHeight: 120,
              maxHeight: 260,
              bgcolor: 'background.default',
              p: 1.5,
            }}
          >
            {data === '' ? 'There is nothing in this time.' : data}
          </Box>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onPicture} sx={{ mr: 'auto' }}>
          Save the chart as a picture
        </Button>
        <Button onClick={onClose}>Close</Button>
        <Button variant="contained" href={`/api/v1${path}`} download onClick={onClose}>
          Save the file
        </Button>
      </DialogActions>
    </Dialog>
  );
}
