import Alert from '@mui/material/Alert';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { TriedWatch, WatchCondition, WatchRemark } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { age } from '../../format/age';
import { asSent, fixed, worked } from '../../format/number';
import { dateTime } from '../../format/time';
import { TriedChart } from './TriedChart';

/** Occurrences that are listed. */
const LISTED = 8;

const REMARKS: Record<WatchRemark, string> = {
  chattering: 'It would have come three times or more within a minute: give it a deadband or a delay.',
  standing: 'It would have stood for longer than a day: nobody acts on it, or nobody can.',
  often: 'It alone would take more than a tenth of the 150 alarms a day that one person can attend to.',
  never: 'It would never have called.',
};

/** What a watch would have done. */
export function Tried({ found, when }: { found: TriedWatch; when: WatchCondition }) {
  const { zone } = useSite();
  const all = found.places.flatMap(({ occurrences }) => occurrences);
  const count = found.places.reduce((sum, place) => sum + place.count, 0);
  const longest = Math.max(0, ...found.places.map((place) => place.longest_s));
  const { per_day, remarks } = found.rating;
  return (
    <section aria-label="What it would have done">
      <Typography>
        {count === 0
          ? 'No alarm in that time.'
          : `${count} ${count === 1 ? 'alarm' : 'alarms'}, ${fixed(per_day, 1)} a day; the longest stood for ${age(longest * 1000)}.`}
      </Typography>
      {remarks.map((remark) => (
        <Alert key={remark} severity={remark === 'never' ? 'info' : 'warning'} sx={{ mt: 1 }}>
          {REMARKS[remark]}
        </Alert>
      ))}
      <TriedChart found={found} when={when} />
      {all.length > 0 && (
        <Table size="small" sx={{ mt: 1 }}>
          <TableBody>
            {all.slice(0, LISTED).map((one) => (
              <TableRow key={one.from}>
                <TableCell>{dateTime(one.from, zone)}</TableCell>
                <TableCell>{one.to === undefined ? 'still' : `to ${dateTime(one.to, zone)}`}</TableCell>
                <TableCell align="right">
                  {one.value === undefined
                    ? ''
                    : typeof one.value === 'number'
                      ? worked(one.value)
                      : asSent(one.value)}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {count > LISTED && <Typography color="textSecondary">and {count - LISTED} more</Typography>}
    </section>
  );
}
