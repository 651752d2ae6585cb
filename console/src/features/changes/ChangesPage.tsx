import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { changes, changesFile } from '../../api/peopleQueries';
import { part } from '../../api/queries';
import type { ChangeLine, FieldDifference } from '../../api/schema';
import { LookTabs } from '../../components/LookTabs';
import { PageHeading } from '../../components/PageHeading';
import { useSite } from '../../components/siteContext';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { dateTime } from '../../format/time';
import { NotesOrChanges } from '../notes/NotesOrChanges';
import { isWhole, objectName, valueText } from './told';

/** Who changed what on the site, the last changes first. */
export function ChangesPage() {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const object = params.get('object') ?? undefined;
  const [words, setWords] = useState('');
  const [pages, setPages] = useState<string[]>([]);
  const asked = { ...(object === undefined ? {} : { object }), words: useDeferredValue(words.trim()) };
  const { data, error, refetch } = useQuery(changes(site.code, asked, pages.at(-1)));
  return (
    <>
      <PageHeading gutterBottom>Notes and changes</PageHeading>
      <LookTabs />
      <NotesOrChanges />
      <Stack direction={{ xs: 'column', sm: 'row' }} spacing={2} sx={{ mb: 2, alignItems: { sm: 'center' } }}>
        <TextField
          label="Search the changes"
          size="small"
          value={words}
          onChange={(event) => {
            setWords(event.target.value);
            setPages([]);
          }}
          sx={{ width: { sm: 320 } }}
        />
        <Button href={changesFile(site.code, asked)} download>
          Download
        </Button>
        {object !== undefined && (
          <Button onClick={() => setParams({})}>Only {objectName(object)}: show all</Button>
        )}
      </Stack>
      {error && !data && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data?.items.length === 0 && pages.length === 0 && (
        <Empty title="No changes">
          {words === '' && object === undefined
            ? 'Whatever people change here from now on is recorded: who, when, from where, and what it was before.'
            : 'Nothing was changed that fits.'}
        </Empty>
      )}
      {data && data.items.length > 0 && (
        <Paper component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
          {data.items.map((line) => (
            <Line key={line.id} line={line} />
          ))}
        </Paper>
      )}
      {pages.length > 0 && <Button onClick={() => setPages((old) => old.slice(0, -1))}>Later changes</Button>}
      {data?.next !== undefined && (
        <Button onClick={() => setPages((old) => [...old, data.next ?? ''])}>Earlier changes</Button>
      )}
    </>
  );
}

function Line({ line }: { line: ChangeLine }) {
  const site = useSite();
  const cache = useQueryClient();
  const undo = useMutation({
    mutationFn: () => api.post(`/sites/${part(site.code)}/changes/${line.id}/undo`),
    onSuccess: () => cache.invalidateQueries(),
  });
  const differences = isWhole(line.differences) ? [] : line.differences;
  return (
    <Box component="li" sx={{ p: 2, '& + &': { borderTop: 1, borderColor: 'divider' } }}>
      <Stack direction={{ xs: 'column', sm: 'row' }} sx={{ justifyContent: 'space-between', gap: 1 }}>
        <Typography sx={{ overflowWrap: 'anywhere' }}>
          <b>{line.who}</b> {line.action} <b>{objectName(line.object)}</b>
        </Typography>
        <Typography color="textSecondary" sx={{ whiteSpace: { sm: 'nowrap' } }}>
          {dateTime(line.at, site.zone)}, {line.way}, {line.from}
        </Typography>
      </Stack>
      {differences.length > 0 && <Differences differences={differences} />}
      {undo.error && <ProblemAlert error={undo.error} />}
      {line.undone_by !== undefined && (
        <Typography color="textSecondary">Undone by change {line.undone_by}.</Typography>
      )}
      {line.can_undo && (
        <Button
          size="small"
          sx={{ mt: 0.5, ml: -0.75 }}
          loading={undo.isPending}
          aria-label={`Undo change ${line.id}`}
          onClick={() => undo.mutate()}
        >
          Undo
        </Button>
      )}
    </Box>
  );
}

function Differences({ differences }: { differences: FieldDifference[] }) {
  return (
    <Box
      component="dl"
      sx={{
        m: 0,
        mt: 1,
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: 'max-content 1fr' },
        columnGap: 2,
        rowGap: 0.5,
      }}
    >
      {differences.map(({ field, before, after }) => (
        <Box key={field} sx={{ display: 'contents' }}>
          <Typography component="dt" color="textSecondary">
            {field.replaceAll('_', ' ')}
          </Typography>
          <Typography component="dd" sx={{ m: 0, overflowWrap: 'anywhere' }}>
            <del>{valueText(before)}</del> <span aria-label="became">→</span> {valueText(after)}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
