import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useId } from 'react';
import { Link as RouterLink } from 'react-router';
import { origin } from '../../api/pastQueries';
import { keyOf, type Drawn } from '../../chart/drawn';
import { SignalChoice } from '../../chart/SignalChoice';
import { LocalTime } from '../../components/LocalTime';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { mono } from '../../theme/theme';
import { stepsOf } from './steps';

/** A value that was asked for: `device/signal`, and a time in milliseconds. */
export interface Picked {
  key: string;
  at: number;
}

interface Props {
  picked: Picked;
  signals: Drawn[];
  zone: string;
  onPick: (picked: Picked) => void;
  onClose: () => void;
}

/** Where a value comes from: a column of steps from the contact at the top to the value at the bottom. */
export function OriginPanel({ picked, signals, zone, onPick, onClose }: Props) {
  const site = useSite();
  const heading = useId();
  const signal = signals.find((one) => keyOf(one) === picked.key);
  const [device = '', code = ''] = picked.key.split('/');
  const { data, error, refetch } = useQuery(origin(site.code, device, code, picked.at));
  return (
    <Paper component="section" aria-labelledby={heading} sx={{ p: 2.5, alignSelf: 'start' }}>
      <Typography id={heading} variant="h2" gutterBottom>
        Where this value comes from
      </Typography>
      <SignalChoice signals={signals} value={picked.key} onChange={(key) => onPick({ ...picked, key })} />
      <LocalTime
        label="The reading at, or before"
        at={picked.at}
        zone={zone}
        onChange={(at) => onPick({ ...picked, at })}
      />
      {error && <ProblemAlert error={error} onRetry={() => void refetch()} />}
      {!data && !error && <Loading height={160} />}
      {data && !error && (
        <Box component="ol" sx={{ listStyle: 'none', p: 0, m: 0, mt: 2 }}>
          {stepsOf(data, zone, signal?.decimals ?? 0).map(({ title, text, isPayload }, i) => (
            <Box
              component="li"
              key={`${i} ${title}`}
              sx={{ pl: 2, pb: 1.5, borderLeft: 2, borderColor: 'divider', overflowWrap: 'anywhere' }}
            >
              <Typography variant="body2" color="text.secondary">
                {title}
              </Typography>
              <Typography sx={isPayload ? mono : undefined}>{text}</Typography>
            </Box>
          ))}
        </Box>
      )}
      <Box sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center', mt: 1 }}>
        <Link component={RouterLink} to={`/sites/${site.code}/devices/${device}/signals/${code}`}>
          What it means
        </Link>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </Box>
    </Paper>
  );
}
