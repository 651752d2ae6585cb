import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { deviceNow, meaning as meaningQuery, quality, signalPath, signals } from '../../api/queries';
import { PageHeading } from '../../components/PageHeading';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { CalibrationSection } from './CalibrationSection';
import { MeaningForm } from './MeaningForm';
import { PastSection } from './PastSection';
import { inWords, qualityInWords } from './words';

/** One signal: how its values come about and which of them are believed. */
export function SignalPage() {
  const site = useSite();
  const { device = '', signal: code = '' } = useParams();
  const { data: known, error } = useQuery(signals(site.code, device));
  const { data: now } = useQuery(deviceNow(site.code, device));
  const { data: said, error: saidError } = useQuery(meaningQuery(site.code, device, code));
  const failed = error ?? saidError;
  if (failed) return <ProblemAlert error={failed} />;
  const signal = known?.find((signal) => signal.code === code);
  if (!known || !said) return <Loading />;
  if (!signal) return <ProblemAlert error={new Error(`${device} has no signal ${code} any more.`)} />;
  const base = `/sites/${site.code}/devices/${encodeURIComponent(device)}`;
  return (
    <>
      <Box sx={{ mb: 3 }}>
        <PageHeading>
          {signal.name}: {inWords(said.meaning)}
        </PageHeading>
        <Typography color="textSecondary">
          Signal {code} of{' '}
          <Link component={RouterLink} to={`${base}/signals`} underline="always">
            {now?.name ?? device}
          </Link>
          {signal.symbol === '' ? '' : `, in ${signal.symbol}`}
          {said.needed_by ? `; needed by ${said.needed_by.join(', ')}` : ''}
        </Typography>
        <QualityLine path={signalPath(site.code, device, code)} />
      </Box>
      <MeaningForm key={said.version} device={device} signal={signal} said={said} />
      {signal.type === 'number' && said.meaning?.formula === undefined && (
        <Section title="Calibration">
          <CalibrationSection device={device} signal={code} symbol={signal.symbol} />
        </Section>
      )}
      <Section title="The past">
        <PastSection device={device} signal={code} neededBy={said.needed_by ?? []} />
      </Section>
    </>
  );
}

/** How much of the last week can be believed. */
function QualityLine({ path }: { path: string }) {
  // The same for as long as the page is looked at.
  const [from] = useState(() => Math.floor(serviceNow() / 6e4) * 6e4 - 7 * 864e5);
  const { data } = useQuery(quality(path, from));
  return (
    <Typography color="textSecondary" sx={{ minHeight: 24 }}>
      {data && qualityInWords(data)}
    </Typography>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 1.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}
