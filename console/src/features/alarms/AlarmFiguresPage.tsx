import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { alarmFigures } from '../../api/alarmQueries';
import type { AlarmFigures, AlarmPlace } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { AlarmTabs } from './AlarmTabs';
import { DayBars } from './DayBars';
import { figureInWords, MEASURES } from './figures';
import { placeOf } from './words';

const SPANS = [
  { days: 7, label: 'The last 7 days' },
  { days: 30, label: 'The last 30 days' },
  { days: 90, label: 'The last 90 days' },
  { days: 365, label: 'The last year' },
];

/** How alarms did over a time, against what one person can attend to. */
export function AlarmFiguresPage() {
  const site = useSite();
  const [days, setDays] = useState(30);
  const [operators, setOperators] = useState(1);
  const { data, error, refetch } = useQuery(alarmFigures(site.code, days, operators));
  return (
    <>
      <PageHeading gutterBottom>Figures of alarms</PageHeading>
      <AlarmTabs />
      <Stack direction={{ xs: 'column', sm: 'row' }} spacing={2} sx={{ mb: 3, maxWidth: 520 }}>
        <TextField
          select
          label="Span"
          value={days}
          onChange={(event) => setDays(Number(event.target.value))}
          sx={{ flex: 1 }}
        >
          {SPANS.map((span) => (
            <MenuItem key={span.days} value={span.days}>
              {span.label}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="People who share them"
          value={operators}
          onChange={(event) => setOperators(Number(event.target.value))}
          sx={{ flex: 1 }}
        >
          {[1, 2, 3, 4, 5, 10].map((count) => (
            <MenuItem key={count} value={count}>
              {count}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={320} />}
      {data?.count === 0 && <Empty title="No alarm in this time">There is nothing to sum up.</Empty>}
      {data && data.count > 0 && <Found found={data} />}
    </>
  );
}

function Found({ found }: { found: AlarmFigures }) {
  return (
    <Stack spacing={3} sx={{ maxWidth: 860 }}>
      <Paper sx={{ p: 3 }}>
        <Typography gutterBottom>{sentence(found)}</Typography>
        <DayBars found={found} />
      </Paper>
      <Box>
        <Typography variant="h2" gutterBottom>
          Against what ANSI/ISA-18.2 recommends
        </Typography>
        <TableContainer
          component={Paper}
          tabIndex={0}
          role="region"
          aria-label="Figures against what is recommended"
        >
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Figure</TableCell>
                <TableCell align="right">Here</TableCell>
                <TableCell align="right">At most</TableCell>
                <TableCell>What helps</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {found.figures.map((figure) => (
                <TableRow key={figure.measure}>
                  <TableCell>{MEASURES[figure.measure].label}</TableCell>
                  <TableCell
                    align="right"
                    sx={{
                      whiteSpace: 'nowrap',
                      ...(!figure.is_met && { color: 'error.main', fontWeight: 650 }),
                    }}
                  >
                    {figureInWords(figure.measure, figure.value)}
                  </TableCell>
                  <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                    {figureInWords(figure.measure, figure.recommended)}
                  </TableCell>
                  <TableCell>{figure.is_met ? 'as recommended' : MEASURES[figure.measure].help}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      </Box>
      <Places title="Most frequent" places={found.frequent} />
      <Places title="Stood longest" places={found.longest} />
    </Stack>
  );
}

function sentence(found: AlarmFigures): string {
  const some = found.severities.filter(({ count }) => count > 0).reverse();
  const severities = some.map(({ severity, count }) => `${count} ${severity}`).join(', ');
  const known =
    found.to_acknowledge_s === undefined
      ? 'Nobody acknowledged any.'
      : `Somebody acknowledged ${found.acknowledged}, after ${age(found.to_acknowledge_s * 1000)} on average.`;
  return `${found.count} alarms: ${severities}. ${known}`;
}

function Places({ title, places }: { title: string; places: AlarmPlace[] }) {
  if (places.length === 0) return null;
  return (
    <Box>
      <Typography variant="h2" gutterBottom>
        {title}
      </Typography>
      <TableContainer component={Paper} tabIndex={0} role="region" aria-label={title}>
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Alarm</TableCell>
              <TableCell>Where</TableCell>
              <TableCell align="right">How many</TableCell>
              <TableCell align="right">Stood in all</TableCell>
              <TableCell align="right">Longest</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {places.map((place) => (
              <TableRow key={`${place.watch} ${placeOf(place)}`}>
                <TableCell>{place.name}</TableCell>
                <TableCell>{placeOf(place)}</TableCell>
                <TableCell align="right">{place.count}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                  {age(place.stood_s * 1000)}
                </TableCell>
                <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
                  {age(place.longest_s * 1000)}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Box>
  );
}
