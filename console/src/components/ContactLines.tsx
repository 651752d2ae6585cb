import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Contact } from '../api/schema';
import { dateTime } from '../format/time';
import { mono } from '../theme/theme';
import { Told } from './Told';
import { grouped } from '../format/number';

const OUTCOME = {
  kept: { word: 'Kept', mark: '●', color: 'secondary.main' },
  partly: { word: 'Partly kept', mark: '◐', color: 'warning.main' },
  refused: { word: 'Refused', mark: '○', color: 'error.main' },
} as const;

/** Attempts to deliver, each with what was understood and what to change. */
export function ContactLines({ contacts, zone }: { contacts: Contact[]; zone: string }) {
  return (
    <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0 }}>
      {keyed(contacts).map(({ key, contact }) => (
        <Line key={key} contact={contact} zone={zone} />
      ))}
    </Box>
  );
}

/** Each with a key that stays the same when newer ones come before it. */
function keyed(contacts: Contact[]): { key: string; contact: Contact }[] {
  const sameTime = new Map<string, number>();
  const oldestFirst = contacts.toReversed().map((contact) => {
    const count = sameTime.get(contact.at) ?? 0;
    sameTime.set(contact.at, count + 1);
    return { key: `${contact.at} ${count}`, contact };
  });
  return oldestFirst.reverse();
}

function Line({ contact, zone }: { contact: Contact; zone: string }) {
  const outcome = OUTCOME[contact.outcome];
  return (
    <Box
      component="li"
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '170px minmax(0, 1fr)' },
        columnGap: 2,
        py: 1,
        '& + &': { borderTop: 1, borderColor: 'divider' },
      }}
    >
      <Typography variant="body2" color="textSecondary" sx={{ whiteSpace: 'nowrap', pt: '2px' }}>
        {dateTime(contact.at, zone)}
      </Typography>
      <Box sx={{ minWidth: 0 }}>
        <Typography sx={{ overflowWrap: 'anywhere' }}>
          <Box component="span" sx={{ color: outcome.color, fontWeight: 650 }}>
            <span aria-hidden>{outcome.mark} </span>
            {outcome.word}
          </Box>
          {`, ${summary(contact)}`}
        </Typography>
        <Typography variant="body2" color="textSecondary" sx={{ overflowWrap: 'anywhere' }}>
          {contact.protocol} from {contact.from}
          {contact.topic === undefined ? '' : ` on ${contact.topic}`}
          {contact.bytes > 0 && `, ${grouped(contact.bytes)} bytes`}
          {contact.dialect === undefined ? '' : `, ${readAs(contact.dialect)}`}
        </Typography>
        {contact.refused?.map((refused, i) => (
          <Box key={i} sx={{ mt: 0.5, pl: 1.5, borderLeft: 2, borderColor: 'error.main' }}>
            <Typography sx={{ overflowWrap: 'anywhere' }}>
              <Told>{refused.detail}</Told>
            </Typography>
            <Typography variant="body2" color="textSecondary">
              <Told>{refused.remedy}</Told> ({refused.code})
            </Typography>
          </Box>
        ))}
        {contact.remarks?.map((remark) => (
          <Typography key={remark.code} variant="body2" color="textSecondary">
            Note: <Told>{remark.detail}</Told>
          </Typography>
        ))}
        {contact.payload !== undefined && (
          <Box
            component="pre"
            tabIndex={0}
            aria-label="Beginning of the payload"
            sx={{
              ...mono,
              fontSize: 13,
              m: 0,
              mt: 0.5,
              p: 1,
              bgcolor: 'background.default',
              borderRadius: 1,
              maxHeight: 140,
              overflow: 'auto',
              whiteSpace: 'pre-wrap',
              overflowWrap: 'anywhere',
            }}
          >
            {contact.payload}
          </Box>
        )}
      </Box>
    </Box>
  );
}

/** How a payload was read, in words. */
export function readAs(dialect: string): string {
  if (dialect === 'decoder') return 'read by its decoder';
  return dialect === 'query' ? 'values in the address' : `read as ${dialect}`;
}

const count = (n: number, one: string, many: string) => `${grouped(n)} ${n === 1 ? one : many}`;

/** What came of an attempt, in words. */
export function summary(contact: Contact): string {
  // A connection came or went: the note says which.
  if (contact.bytes === 0 && contact.outcome === 'kept') return 'a connection';
  const parts =
    contact.outcome === 'refused' ? ['nothing was kept'] : [count(contact.kept, 'reading', 'readings')];
  if (contact.repeated) parts.push(`${contact.repeated} there already`);
  if (contact.corrected) parts.push(`${contact.corrected} corrected`);
  if (contact.ignored) parts.push(`${contact.ignored} ignored`);
  if (contact.waiting?.length) parts.push(`new: ${contact.waiting.join(', ')}`);
  if (contact.outcome === 'partly') parts.push(`${contact.refused_count ?? 0} refused`);
  if (contact.times > 1) parts.push(`${contact.times} times within a second`);
  return parts.join(', ');
}
