import CheckIcon from '@mui/icons-material/Check';
import CloseIcon from '@mui/icons-material/Close';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { why as whyQuery } from '../../api/queries';
import type { Why } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { Told } from '../../components/Told';
import { useSite } from '../../components/siteContext';
import { STAGES, wayOf } from './words';

interface Props {
  device: string;
  signal?: string | undefined;
  onClose: () => void;
}

/** Why nothing is seen: what is right, the first thing that is wrong, and the way to mend it. */
export function WhyDialog({ device, signal, onClose }: Props) {
  const site = useSite();
  const { data, error } = useQuery(whyQuery(site.code, device, signal));
  const way = data && wayOf(data, site.code);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="why-title">
      <DialogTitle id="why-title">Why is nothing here?</DialogTitle>
      <DialogContent sx={{ minHeight: 320 }}>
        {error && <ProblemAlert error={error} />}
        {!data && !error && <Loading height={280} />}
        {data && <Walked why={data} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
        {way && (
          <Button component={Link} to={way.to} onClick={onClose} variant="contained">
            {way.label}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function Walked({ why }: { why: Why }) {
  return (
    <>
      <Stack component="ul" spacing={0.5} sx={{ listStyle: 'none', p: 0, m: 0, mb: 2 }}>
        {why.passed.map((stage) => (
          <Stack key={stage} component="li" direction="row" spacing={1} sx={{ color: 'text.secondary' }}>
            <CheckIcon fontSize="small" titleAccess="right" />
            <span>{STAGES[stage].right}</span>
          </Stack>
        ))}
        {why.stage && (
          <Stack component="li" direction="row" spacing={1} sx={{ color: 'error.main' }}>
            <CloseIcon fontSize="small" titleAccess="wrong" />
            <strong>{STAGES[why.stage].wrong}</strong>
          </Stack>
        )}
      </Stack>
      <Typography sx={{ fontWeight: 600, mb: 0.5, overflowWrap: 'anywhere' }}>
        <Told>{why.what}</Told>
      </Typography>
      <Typography sx={{ overflowWrap: 'anywhere' }}>
        <Told>{why.means}</Told>
      </Typography>
    </>
  );
}
