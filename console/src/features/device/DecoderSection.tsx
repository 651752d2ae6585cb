import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { device as deviceQuery, devicePath } from '../../api/queries';
import type { Device } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { DecoderEditor } from '../sending/DecoderEditor';
import { parseDecoder, decoderText } from '../sending/decoder';
import { May } from '../../components/may';

/** How this device's payloads are read, with a try-out before it is saved. */
export function DecoderSection({ code }: { code: string }) {
  const site = useSite();
  const { data, error } = useQuery(deviceQuery(site.code, code));
  if (error) return <ProblemAlert error={error} />;
  if (!data) return <Loading height={120} />;
  return <Editor device={data} />;
}

function Editor({ device }: { device: Device }) {
  const site = useSite();
  const cache = useQueryClient();
  const [text, setText] = useState(decoderText(device.decoder));
  const parsed = parseDecoder(text);
  const save = useMutation({
    mutationFn: () =>
      api.patch<Device>(devicePath(site.code, device.code), { decoder: parsed.ok ? parsed.form : null }),
    onSuccess: (changed) => cache.setQueryData(deviceQuery(site.code, device.code).queryKey, changed),
  });
  return (
    <Paper sx={{ p: 2 }}>
      <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 760 }}>
        JSON, CBOR, SenML, forms and CSV need no decoder. One describes everything else: lines of text, framed
        messages, packed bytes, JSON of another shape.
      </Typography>
      <DecoderEditor text={text} onChange={setText} device={device.code} />
      {save.error && <ProblemAlert error={save.error} />}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mt: 2 }}>
        <May right="set_up">
          <Button
            variant="outlined"
            loading={save.isPending}
            disabled={!parsed.ok}
            onClick={() => save.mutate()}
          >
            Save the decoder
          </Button>
        </May>
        <Typography color="textSecondary" role="status">
          {save.isSuccess ? (device.decoder ? 'Saved.' : 'Saved: it has none.') : ''}
        </Typography>
      </Box>
    </Paper>
  );
}
