import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { signals as signalsQuery, sitePath } from '../../api/queries';
import type { NewSignal, Tried, TriedValue } from '../../api/schema';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { asSent } from '../../format/number';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { BEGINNINGS, decoderText, parseDecoder } from './decoder';
import { SampleColumns } from './SampleColumns';
import { decoderOf, likelyNames, namesIn, splitSample } from './split';
import { Told } from '../../components/Told';

interface Props {
  text: string;
  onChange: (text: string) => void;
  /** The device whose signals a sample is matched with. */
  device?: string;
  /** Or these signals. */
  signals?: NewSignal[];
}

/** A decoder as text, and a try-out beside it. */
export function DecoderEditor({ text, onChange, device, signals }: Props) {
  const site = useSite();
  const [sample, setSample] = useState('');
  const { data: declared = [] } = useQuery({
    ...signalsQuery(site.code, device ?? ''),
    enabled: device !== undefined,
  });
  const codes = (signals ?? declared).map((signal) => signal.code).filter((code) => code !== '');
  const split = splitSample(sample);
  const parsed = parseDecoder(text);
  const attempt = useMutation({
    mutationFn: () =>
      api.post<Tried>(`${sitePath(site.code)}/try`, {
        sample,
        ...(device === undefined ? {} : { device }),
        ...(signals === undefined ? {} : { signals }),
        ...(parsed.ok && parsed.form ? { decoder: parsed.form } : {}),
      }),
  });
  // The text is what counts: the parts have the names that it gives them.
  const names =
    split && (namesIn(parsed.ok ? parsed.form : null, split) ?? (text === '' ? likelyNames(split) : []));
  const begin = (title: string) => {
    const beginning = BEGINNINGS.find((known) => known.title === title);
    if (!beginning) return;
    onChange(decoderText(beginning.form));
    setSample(beginning.sample);
  };
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 2,
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'repeat(2, minmax(0, 1fr))' },
      }}
    >
      <Stack spacing={2}>
        <TextField
          select
          label="Begin with"
          value=""
          onChange={(e) => begin(e.target.value)}
          size="small"
          sx={{ maxWidth: 260 }}
        >
          {BEGINNINGS.map(({ title }) => (
            <MenuItem key={title} value={title}>
              {title}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Decoder"
          value={text}
          onChange={(e) => onChange(e.target.value)}
          multiline
          minRows={8}
          maxRows={20}
          error={!parsed.ok}
          helperText={parsed.ok ? 'JSON; empty for none.' : parsed.reason}
          slotProps={{ htmlInput: { sx: { ...mono, fontSize: 13 }, spellCheck: false } }}
        />
      </Stack>
      <Stack spacing={2} sx={{ minWidth: 0 }}>
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'flex-start' }}>
          <TextField
            label="Sample"
            value={sample}
            onChange={(e) => setSample(e.target.value)}
            multiline
            minRows={1}
            maxRows={6}
            fullWidth
            placeholder="Paste what the sender sends"
            slotProps={{
              inputLabel: { shrink: true },
              htmlInput: { sx: { ...mono, fontSize: 13 }, spellCheck: false },
            }}
          />
          <Button
            variant="contained"
            disabled={sample === '' || !parsed.ok}
            loading={attempt.isPending}
            onClick={() => attempt.mutate()}
            sx={{ flex: 'none', height: 40 }}
          >
            Try it
          </Button>
        </Box>
        {split && names && (
          <SampleColumns
            split={split}
            names={names}
            onNames={(given) =>
              onChange(decoderText(decoderOf(split, given, parsed.ok ? parsed.form : null)))
            }
            codes={codes}
          />
        )}
        {attempt.error && <ProblemAlert error={attempt.error} />}
        {attempt.data ? (
          <Outcome tried={attempt.data} zone={site.zone} />
        ) : (
          <Typography color="textSecondary">
            Try a sample: each value it holds appears here, with what it would become. Nothing is kept.
          </Typography>
        )}
      </Stack>
    </Box>
  );
}

function Outcome({ tried, zone }: { tried: Tried; zone: string }) {
  return (
    <Box role="status">
      <Typography sx={{ mb: 1 }}>
        {tried.dialect === 'decoder' ? 'Read by the decoder' : `Read as ${tried.dialect}`}:{' '}
        {tried.count === 1 ? 'one value' : `${tried.count} values`}.
      </Typography>
      {tried.refused.map((refused, i) => (
        <Box key={i} sx={{ mb: 1, pl: 1.5, borderLeft: 2, borderColor: 'error.main' }}>
          <Typography sx={{ overflowWrap: 'anywhere' }}>
            <Told>{refused.detail}</Told>
          </Typography>
          <Typography variant="body2" color="textSecondary">
            <Told>{refused.remedy}</Told>
          </Typography>
        </Box>
      ))}
      {tried.remarks.map((remark) => (
        <Typography key={remark.code} variant="body2" color="textSecondary">
          Note: <Told>{remark.detail}</Told>
        </Typography>
      ))}
      {tried.values.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell>Name</TableCell>
                <TableCell align="right">Value</TableCell>
                <TableCell>Becomes</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {tried.values.map((value, i) => (
                <Row key={i} value={value} zone={zone} />
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
    </Box>
  );
}

const BECOMES = {
  reading: 'a reading of this signal',
  rejected: 'a reading that is rejected: no number',
  arrival: 'an arrival: nobody has declared it',
  ignored: 'nothing: it is ignored',
} as const;

function Row({ value, zone }: { value: TriedValue; zone: string }) {
  const name = value.device === undefined ? value.name : `${value.device}/${value.name}`;
  return (
    <TableRow>
      <TableCell sx={mono}>{name}</TableCell>
      <TableCell align="right">
        {asSent(value.raw)}
        {value.unit === undefined ? '' : ` ${value.unit}`}
      </TableCell>
      <TableCell>
        {value.becomes === 'refused' ? (
          <Box component="span" sx={{ color: 'error.main' }}>
            <Told>{`${value.refused?.detail ?? ''} ${value.refused?.remedy ?? ''}`}</Told>
          </Box>
        ) : (
          BECOMES[value.becomes]
        )}
        {value.at !== undefined && (
          <Typography variant="body2" color="textSecondary">
            at {dateTime(value.at, zone)}
          </Typography>
        )}
      </TableCell>
    </TableRow>
  );
}
