import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { figures } from '../../api/pastQueries';
import { useSite } from '../../components/siteContext';
import { withUnit, worked } from '../../format/number';
import { suggested, type WatchDraft } from './watchDraft';

const TWO_WEEKS = { last: 14 * 86_400_000 };
/** Between these lie 99 of 100 readings. */
const SHARES = [0.005, 0.995];

interface Props {
  draft: WatchDraft;
  symbol: string;
  onChange: (over: Partial<WatchDraft>) => void;
}

/** Where the values of a signal usually lie, and limits there for the asking. */
export function UsualRange({ draft, symbol, onChange }: Props) {
  const site = useSite();
  const when = draft.kept?.when;
  const unit = when && 'unit' in when && when.unit ? `:${when.unit}` : '';
  const { data, isPlaceholderData } = useQuery(
    figures(site.code, [`${draft.on}${unit}`], TWO_WEEKS, site.zone, {
      by: '',
      quantiles: SHARES,
      limits: {},
    }),
  );
  const [low, high] = data?.signals[0]?.buckets[0]?.quantiles ?? [];
  // What was found of another signal is not proposed.
  if (isPlaceholderData || low === undefined || high === undefined) return null;
  const over = suggested(draft, low, high);
  return (
    <Stack direction="row" useFlexGap spacing={1} sx={{ alignItems: 'center', flexWrap: 'wrap' }}>
      <Typography variant="body2" color="textSecondary">
        In the last two weeks 99 of 100 readings lay from {worked(low)} to {withUnit(worked(high), symbol)}.
      </Typography>
      <Button size="small" onClick={() => onChange(over)}>
        Set it there
      </Button>
    </Stack>
  );
}
