import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { watches } from '../../api/alarmQueries';
import type { SiteWatch } from '../../api/schema';
import { May } from '../../components/may';
import { PageHeading } from '../../components/PageHeading';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { AlarmTabs } from './AlarmTabs';
import { SeverityMark } from './SeverityMark';
import { draftOf, NEW_WATCH, type WatchDraft } from './watchDraft';
import { WatchDialog } from './WatchDialog';
import { onInWords, whenInWords } from './words';

/** The rules that say when something is wrong. */
export function WatchesPage() {
  const site = useSite();
  const { data, error, refetch } = useQuery(watches(site.code));
  const [draft, setDraft] = useState<WatchDraft>();
  const symbol = data?.find(({ code }) => code === draft?.code)?.symbol;
  return (
    <>
      <PageHeading gutterBottom>Watches</PageHeading>
      <AlarmTabs />
      <May right="set_up">
        <Button variant="contained" sx={{ mb: 2 }} onClick={() => setDraft(NEW_WATCH)}>
          Make a watch
        </Button>
      </May>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.length === 0 && (
        <Empty title="Nothing is watched yet">
          A watch says when something is wrong: a fridge above 8 °C for ten minutes, a device that is silent.
          It is tried over what was received before it is kept.
        </Empty>
      )}
      {data && data.length > 0 && <WatchTable watches={data} onChange={setDraft} />}
      {draft && <WatchDialog draft={draft} symbol={symbol} onClose={() => setDraft(undefined)} />}
    </>
  );
}

interface TableProps {
  watches: SiteWatch[];
  onChange: (draft: WatchDraft) => void;
}

function WatchTable({ watches: all, onChange }: TableProps) {
  return (
    <TableContainer component={Paper}>
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>Watch</TableCell>
            <TableCell>Wrong is when</TableCell>
            <TableCell>Severity</TableCell>
            <TableCell align="right">Places</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {all.map((one) => (
            <Row key={one.code} watch={one} onChange={onChange} />
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

function Row({ watch: one, onChange }: { watch: SiteWatch; onChange: (draft: WatchDraft) => void }) {
  const { watch } = one;
  const draft = watch ? draftOf(one.code, watch) : undefined;
  return (
    <TableRow>
      <TableCell sx={{ fontWeight: 650 }}>{watch?.name ?? one.code}</TableCell>
      <TableCell>
        {watch ? `${onInWords(watch)} ${whenInWords(watch.when, one.symbol)}` : one.damaged}
        {watch?.advice && (
          <Typography variant="body2" color="textSecondary">
            {watch.advice}
          </Typography>
        )}
      </TableCell>
      <TableCell>{watch?.severity && <SeverityMark severity={watch.severity} />}</TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
        {one.holding > 0 ? `${one.places}, wrong at ${one.holding}` : one.places}
      </TableCell>
      <TableCell align="right">
        <May right="set_up">
          {draft ? (
            <Button size="small" aria-label={`Change ${one.code}`} onClick={() => onChange(draft)}>
              Change
            </Button>
          ) : (
            <Typography variant="body2" color="textSecondary" title="lantern watch show, or the API">
              by command line
            </Typography>
          )}
        </May>
      </TableCell>
    </TableRow>
  );
}
