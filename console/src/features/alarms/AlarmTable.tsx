import Checkbox from '@mui/material/Checkbox';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { Link as RouterLink } from 'react-router';
import type { Alarm } from '../../api/schema';
import { Age } from '../../components/Age';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';
import { mono } from '../../theme/theme';
import { AlarmValue } from './AlarmValue';
import { SeverityMark } from './SeverityMark';
import { isWaiting, placeOf, STATES } from './words';

interface Props {
  alarms: Alarm[];
  /** Those that are chosen, where some can be. */
  chosen?: ReadonlySet<number>;
  onChoose?: (id: number) => void;
}

/** Alarms, one in a row. */
export function AlarmTable({ alarms, chosen, onChoose }: Props) {
  return (
    <TableContainer component={Paper}>
      <Table>
        <TableHead>
          <TableRow>
            {onChoose && <TableCell padding="checkbox" />}
            <TableCell>Severity</TableCell>
            <TableCell>What</TableCell>
            <TableCell>Where</TableCell>
            <TableCell>Value</TableCell>
            <TableCell>Raised</TableCell>
            <TableCell>State</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {alarms.map((alarm) => (
            <Row
              key={alarm.id}
              alarm={alarm}
              {...(onChoose && { isChosen: chosen?.has(alarm.id) ?? false, onChoose })}
            />
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

interface RowProps {
  alarm: Alarm;
  isChosen?: boolean;
  onChoose?: (id: number) => void;
}

function Row({ alarm, isChosen = false, onChoose }: RowProps) {
  const site = useSite();
  return (
    <TableRow hover selected={isChosen}>
      {onChoose && (
        <TableCell padding="checkbox">
          {isWaiting(alarm) && (
            <Checkbox
              checked={isChosen}
              onChange={() => onChoose(alarm.id)}
              slotProps={{ input: { 'aria-label': `Choose alarm ${alarm.id}` } }}
            />
          )}
        </TableCell>
      )}
      <TableCell>
        <SeverityMark severity={alarm.severity} />
      </TableCell>
      <TableCell>
        <Link component={RouterLink} to={`/sites/${site.code}/alarms/${alarm.id}`} sx={{ fontWeight: 650 }}>
          {alarm.name}
        </Link>
      </TableCell>
      <TableCell sx={{ ...mono, overflowWrap: 'anywhere' }}>{placeOf(alarm)}</TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>
        <AlarmValue alarm={alarm} />
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>
        {alarm.cleared_at === undefined ? (
          <Age at={alarm.raised_at} zone={site.zone} />
        ) : (
          dateTime(alarm.raised_at, site.zone)
        )}
      </TableCell>
      <TableCell>
        {STATES[alarm.state] ?? alarm.state}
        <Typography variant="body2" color="textSecondary">
          {more(alarm, site.zone)}
        </Typography>
      </TableCell>
    </TableRow>
  );
}

/** What else is to be said of how an alarm is. */
function more(alarm: Alarm, zone: string): string {
  if (alarm.is_found) return 'found later, nobody was called';
  if (alarm.shelved_until !== undefined) return `until ${dateTime(alarm.shelved_until, zone)}`;
  if (alarm.acknowledged_by !== undefined) return `acknowledged by ${alarm.acknowledged_by}`;
  return '';
}
