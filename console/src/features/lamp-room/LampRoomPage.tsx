import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { siteNow } from '../../api/queries';
import { Empty, Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { useServiceNow } from '../../format/clock';
import { LampCard } from './LampCard';
import { byAttention, matching, sentence } from './order';

/** The first page: every device with its lamp, what needs attention first. */
export function LampRoomPage() {
  const site = useSite();
  const { data: devices, error, refetch } = useQuery(siteNow(site.code));
  const [params, setParams] = useSearchParams();
  const now = useServiceNow();
  // The address follows what is typed; it would be too slow to be typed into.
  const [words, setWords] = useState(params.get('filter') ?? '');
  if (error && !devices) return <ProblemAlert error={error} onRetry={() => void refetch()} />;
  if (!devices) return <Loading />;
  const add = (
    <Button component={Link} to={`/sites/${site.code}/add-device`} variant="contained">
      Add a device
    </Button>
  );
  if (devices.length === 0) {
    return (
      <>
        <Typography variant="h1" sx={{ mb: 3 }}>
          {site.name}
        </Typography>
        <Empty title="No device yet" action={add}>
          A device is one thing in the field that sends readings. Add the first one: you get its key and a
          line that sends a first reading.
        </Empty>
      </>
    );
  }
  const found = matching(byAttention(devices), words);
  const filter = (text: string) => {
    setWords(text);
    setParams(text === '' ? {} : { filter: text }, { replace: true });
  };
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center', mb: 3 }}>
        <Typography variant="h1" sx={{ flex: '1 1 300px' }} aria-live="polite">
          {sentence(devices, site.zone, now)}
        </Typography>
        <TextField
          label="Filter"
          type="search"
          value={words}
          onChange={(event) => filter(event.target.value)}
          sx={{ width: { xs: '100%', sm: 220 } }}
        />
        {add}
      </Box>
      {found.length === 0 ? (
        <Empty
          title="No device fits the filter"
          action={<Button onClick={() => filter('')}>Show all</Button>}
        >
          The filter looks in names, codes, states and signals.
        </Empty>
      ) : (
        <Box
          sx={{
            display: 'grid',
            gap: 2,
            gridTemplateColumns: 'repeat(auto-fill, minmax(min(100%, 300px), 1fr))',
          }}
        >
          {found.map((device) => (
            <LampCard key={device.device} device={device} site={site.code} zone={site.zone} />
          ))}
        </Box>
      )}
    </>
  );
}
