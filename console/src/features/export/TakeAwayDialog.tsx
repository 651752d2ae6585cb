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
import { useId, useRef, useState } from 'react';
import type { Span } from '../../api/pastQueries';
import { ChartPicture, svgText, type PictureOfPane } from '../../chart/ChartPicture';
import { keyOf, type Drawn } from '../../chart/drawn';
import { Loading, ProblemAlert } from '../../components/states';
import { saveFile } from '../../format/saveFile';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { exportPath, FORMATS, STRETCHES, type Format, type Stretch } from './exportPath';
import { firstOf } from './firstOf';

interface Props {
  site: string;
  zone: string;
  signals: Drawn[];
  span: Span;
  /** What the chart shows, as pictures. */
  panes: PictureOfPane[];
  /** Saves the chart as it stands as a picture of points (PNG). */
  onPicture: () => void;
  onClose: () => void;
}

/** Takes the readings of a chart away as a file, whose first lines are shown before. */
export function TakeAwayDialog({ site, zone, signals, span, panes, onPicture, onClose }: Props) {
  const heading = useId();
  const drawing = useRef<SVGSVGElement>(null);
  const [format, setFormat] = useState<Format>('csv');
  const [all, setAll] = useState(false);
  const [isUtc, setUtc] = useState(false);
  const [isForSheets, setForSheets] = useState(false);
  const [each, setEach] = useState<Stretch>('');
  const { hasQuality, isSheet } = FORMATS.find(({ id }) => id === format) ?? FORMATS[0];
  // Only numbers can be summed up.
  const columns = signals
    .filter(({ type }) => each === '' || type === 'number')
    .map((signal) => (signal.asked === undefined ? keyOf(signal) : `${keyOf(signal)}:${signal.asked}`));
  const path = exportPath(site, columns, span, {
    format,
    all: all && hasQuality && each === '',
    zone: isUtc ? 'UTC' : zone,
    isForSheets: isForSheets && isSheet,
    each,
  });
  // Nobody can read a Parquet file by eye: what it holds is shown as CSV.
  const seen = format === 'parquet' ? path.replace('format=parquet', 'format=csv') : path;
  const { data, error } = useQuery({ queryKey: ['export', seen], queryFn: () => firstOf(seen), gcTime: 0 });
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
          <TextField
            select
            label="Rows"
            value={each}
            onChange={(event) => setEach(event.target.value as Stretch)}
            sx={{ width: 220 }}
          >
            {STRETCHES.map(({ id, label }) => (
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
            control={<Switch checked={isForSheets && isSheet} onChange={(_, value) => setForSheets(value)} />}
            disabled={!isSheet}
            label="Times for spreadsheets"
          />
          <FormControlLabel
            control={
              <Switch checked={all && hasQuality && each === ''} onChange={(_, value) => setAll(value)} />
            }
            disabled={!hasQuality || each !== ''}
            label="Suspect and rejected too"
          />
        </Stack>
        <Typography variant="body2" color="text.secondary" sx={{ mt: 2 }}>
          {format === 'parquet' ? 'As text, the file begins like this:' : 'The file begins like this:'}
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
      <Box sx={{ display: 'none' }}>
        <ChartPicture ref={drawing} panes={panes} title={titleOf(span, zone)} />
      </Box>
      <DialogActions>
        <Stack direction="row" useFlexGap spacing={1} sx={{ mr: 'auto', flexWrap: 'wrap' }}>
          <Button onClick={onPicture}>The chart as PNG</Button>
          <Button
            disabled={panes.length === 0}
            onClick={() =>
              drawing.current && saveFile(`${site}-chart.svg`, 'image/svg+xml', svgText(drawing.current))
            }
          >
            The chart as SVG
          </Button>
        </Stack>
        <Button onClick={onClose}>Close</Button>
        <Button variant="contained" href={`/api/v1${path}`} download onClick={onClose}>
          Save the file
        </Button>
      </DialogActions>
    </Dialog>
  );
}

const titleOf = ({ from, to }: Span, zone: string) =>
  `${dateTime(from, zone)} to ${dateTime(to, zone)}, ${zone}`;
