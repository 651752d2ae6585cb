import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { device as deviceQuery } from '../../api/queries';
import type { Connection, DeviceNow } from '../../api/schema';
import { useStanding } from '../../api/useLive';
import { useSite } from '../../components/siteContext';
import { dateTime } from '../../format/time';

/** How a connection is, in a sentence. */
export function connectionText(connection: Connection, zone: string): string {
  const since = dateTime(connection.since, zone);
  return connection.is_up
    ? `Connected by ${connection.protocol} since ${since}, from ${connection.from}.`
    : `Not connected since ${since}: ${connection.ended ?? 'nothing was heard of why'}.`;
}

/** Whether the device is connected, where its protocol knows, and who carries it. */
export function ConnectionLine({ device }: { device: DeviceNow }) {
  const site = useSite();
  const { data } = useQuery(deviceQuery(site.code, device.device));
  const { connection } = useStanding(device);
  return (
    <Typography color="textSecondary" sx={{ mb: 1, minHeight: '1.5em' }}>
      {connection && connectionText(connection, site.zone)}
      {data?.carrier && (
        <>
          Carried by{' '}
          <Link component={RouterLink} to={`/sites/${site.code}/devices/${data.carrier}#carried`}>
            {data.carrier}
          </Link>
          {data.identity && `, which calls it ${data.identity}`}.
        </>
      )}
    </Typography>
  );
}
