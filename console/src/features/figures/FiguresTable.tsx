import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { Extreme, Figures, SignalFigures } from '../../api/schema';
import { fixed, grouped } from '../../format/number';
import { dateTime } from '../../format/time';
import type { Stretch, Wanted } from './asked';

interface Props {
  title: string;
  symbol: string;
  decimals: number;
  found: SignalFigures;
  quantiles: number[];
  wanted: Wanted;
  zone: string;
}

/** Something that is told of each bucket. */
interface Column {
  title: string;
  text: (bucket: Figures) => string;
}

/** The figures of a signal: a row for each stretch of time. */
export function FiguresTable({ title, symbol, decimals, found, quantiles, wanted, zone }: Props) {
  const columns = columnsOf({ found, quantiles, wanted, zone, decimals });
  const isWhole = found.buckets.every(({ whole }) => whole);
  return (
    <section aria-label={title}>
      <Typography variant="h2" sx={{ mt: 3, mb: 1 }}>
        {symbol === '' ? title : `${title} (${symbol})`}
      </Typography>
      {found.buckets.length === 0 ? (
        <Typography color="text.secondary">No readings in this time.</Typography>
      ) : (
        <TableContainer sx={{ maxHeight: 520 }} tabIndex={0} role="region" aria-label={`Figures of ${title}`}>
          <Table size="small" stickyHeader>
            <TableHead>
              <TableRow>
                {wanted.by !== '' && <TableCell>From</TableCell>}
                {columns.map((column) => (
                  <TableCell key={column.title} align="right">
                    {column.title}
                  </TableCell>
                ))}
              </TableRow>
            </TableHead>
            <TableBody>
              {found.buckets.map((bucket) => (
                <TableRow key={bucket.start_ms}>
                  {wanted.by !== '' && (
                    <TableCell sx={{ whiteSpace: 'nowrap' }}>{startOf(bucket, wanted.by, zone)}</TableCell>
                  )}
                  {columns.map((column) => (
                    <TableCell key={column.title} align="right" sx={{ whiteSpace: 'nowrap' }}>
                      {column.text(bucket)}
                    </TableCell>
                  ))}
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {!isWhole && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          Where there is a dash, there are too many readings to look at each, or only summaries are left of
          them.
        </Typography>
      )}
    </section>
  );
}

/** With four digits: an integral is no better known than that. */
const rounded = (value: number): string =>
  fixed(value, Math.max(0, 3 - Math.floor(Math.log10(Math.abs(value) || 1))));

const startOf = ({ start_ms }: Figures, by: Stretch, zone: string): string =>
  dateTime(start_ms, zone).slice(0, by === 'hour' ? 16 : 10);

function columnsOf({
  found,
  quantiles,
  wanted: { by, limits },
  zone,
  decimals,
}: Pick<Props, 'found' | 'quantiles' | 'wanted' | 'zone' | 'decimals'>): Column[] {
  const number = (value: number | undefined) => (value === undefined ? '—' : fixed(value, decimals));
  // Of many readings the mean is known better than one reading is.
  const fine = (value: number | undefined) => (value === undefined ? '—' : fixed(value, decimals + 1));
  const hours = (value: number | undefined) => (value === undefined ? '—' : fixed(value, 1));
  const extreme = ({ value, at }: Extreme) => {
    const time = at === undefined ? '' : dateTime(at, zone);
    return `${number(value)}${time === '' ? '' : ` at ${by === 'day' || by === 'hour' ? time.slice(11, 16) : time.slice(0, 16)}`}`;
  };
  const listed = (
    name: 'above' | 'below' | 'within',
    each: (bucket: Figures) => number[] | undefined,
  ): Column[] =>
    (limits[name] ?? '')
      .split(',')
      .filter((limit) => limit !== '')
      .map((limit, i) => ({
        title: `Hours ${name} ${limit.replace('..', ' to ')}`,
        text: (b) => hours(each(b)?.[i]),
      }));
  const integral: Column[] =
    found.integral_unit === undefined
      ? []
      : [
          {
            title: `Integral (${found.integral_unit.replaceAll('.', '·')})`,
            text: (b) => (b.integral === undefined ? '—' : rounded(b.integral)),
          },
        ];
  const base = limits.base;
  return [
    { title: 'Least', text: (b) => extreme(b.min) },
    { title: 'Greatest', text: (b) => extreme(b.max) },
    { title: 'Mean over time', text: (b) => fine(b.time_mean) },
    { title: 'Deviation', text: (b) => fine(b.deviation) },
    ...quantiles.map((share, i) => ({
      title: share === 0.5 ? 'Median' : `${fixed(share * 100, 0)} %`,
      text: (b: Figures) => fine(b.quantiles?.[i]),
    })),
    ...integral,
    ...listed('above', (b) => b.above_h),
    ...listed('below', (b) => b.below_h),
    ...listed('within', (b) => b.within_h),
    ...(base === undefined
      ? []
      : [
          { title: `Degree hours below ${base}`, text: (b: Figures) => hours(b.degree_hours_below) },
          { title: `Degree hours above ${base}`, text: (b: Figures) => hours(b.degree_hours_above) },
        ]),
    { title: 'Readings', text: (b) => grouped(b.count) },
  ];
}
