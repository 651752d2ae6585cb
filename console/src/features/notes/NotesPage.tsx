import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { siteNow } from '../../api/queries';
import { notes as notesOf } from '../../api/pastQueries';
import type { Note } from '../../api/schema';
import { LookTabs } from '../../components/LookTabs';
import { May } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { dateTime } from '../../format/time';
import { NotesOrChanges } from './NotesOrChanges';
import { draftOf, NoteDialog, type NoteDraft, type Topic } from './NoteDialog';

/** What is shown around a note of one time, before and after it, in milliseconds. */
const AROUND = 6 * 3_600_000;

/** All notes of a site, those that begin last first. */
export function NotesPage() {
  const site = useSite();
  const [pages, setPages] = useState<string[]>([]);
  const [draft, setDraft] = useState<NoteDraft>();
  const { data, error, refetch } = useQuery(notesOf(site.code, pages.at(-1)));
  const topics = useTopics(site.code);
  return (
    <>
      <PageHeading gutterBottom>Notes and changes</PageHeading>
      <LookTabs />
      <NotesOrChanges />
      <May right="note">
        <Button
          variant="contained"
          onClick={() => setDraft({ about: '', from: serviceNow(), text: '' })}
          sx={{ mb: 2 }}
        >
          Write a note
        </Button>
      </May>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.items.length === 0 && pages.length === 0 && (
        <Empty title="No notes yet">
          A note says what happened at a time: a filter cleaned, a sensor moved. It stands below each chart of
          that time.
        </Empty>
      )}
      {data && data.items.length > 0 && (
        <NotesTable
          notes={data.items}
          zone={site.zone}
          topics={topics}
          onChange={(note) => setDraft(draftOf(note))}
        />
      )}
      {pages.length > 0 && <Button onClick={() => setPages((old) => old.slice(0, -1))}>Later notes</Button>}
      {data?.next !== undefined && (
        <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>Earlier notes</Button>
      )}
      {draft && (
        <NoteDialog
          site={site.code}
          zone={site.zone}
          topics={topics}
          draft={draft}
          onClose={() => setDraft(undefined)}
        />
      )}
    </>
  );
}

interface TableProps {
  notes: Note[];
  zone: string;
  topics: Topic[];
  onChange: (note: Note) => void;
}

function NotesTable({ notes, zone, topics, onChange }: TableProps) {
  return (
    <TableContainer component={Paper}>
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>When</TableCell>
            <TableCell>About</TableCell>
            <TableCell>Note</TableCell>
            <TableCell>By</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {notes.map((note) => (
            <TableRow key={note.id}>
              <TableCell sx={{ whiteSpace: { sm: 'nowrap' } }}>
                {dateTime(note.from, zone)}
                {note.to !== undefined && (
                  <>
                    <br />
                    to {dateTime(note.to, zone)}
                  </>
                )}
              </TableCell>
              <TableCell>
                <About note={note} topics={topics} />
              </TableCell>
              <TableCell sx={{ whiteSpace: 'pre-line', overflowWrap: 'anywhere' }}>{note.text}</TableCell>
              <TableCell>{note.changed_by ?? note.written_by}</TableCell>
              <TableCell align="right">
                <May right="note">
                  <Button size="small" aria-label={`Change note ${note.id}`} onClick={() => onChange(note)}>
                    Change
                  </Button>
                </May>
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

/** What a note is about, as a way to the history at its time. */
function About({ note, topics }: { note: Note; topics: Topic[] }) {
  const { code } = useSite();
  const name = topics.find(({ about }) => about === note.about)?.name ?? note.about;
  const [device, signal] = note.about.split('/');
  if (device === undefined || device === '') return name;
  const begin = Date.parse(note.from);
  const end = note.to === undefined ? begin : Date.parse(note.to);
  const time = { from: String(begin - AROUND), to: String(end + AROUND) };
  const to =
    signal === undefined
      ? `/sites/${code}/devices/${device}?${new URLSearchParams(time).toString()}`
      : `/sites/${code}/charts?${new URLSearchParams({ signals: note.about, ...time }).toString()}`;
  return (
    <Link component={RouterLink} to={to}>
      {name}
    </Link>
  );
}

/** The site, its devices and their signals. */
function useTopics(site: string): Topic[] {
  const { data = [] } = useQuery(siteNow(site));
  return [
    { about: '', name: 'The whole site' },
    ...data.flatMap(({ device, name, signals }) => [
      { about: device, name },
      ...signals.map((signal) => ({ about: `${device}/${signal.signal}`, name: `${name}: ${signal.name}` })),
    ]),
  ];
}
