import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { watches, watchPath } from '../../api/alarmQueries';
import { api } from '../../api/client';
import type { SiteWatch } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { May } from '../../components/may';
import { useSite } from '../../components/siteContext';

/** Buttons by which people call for help; none if no watch has one. */
export function CallButtons() {
  const site = useSite();
  const { data = [] } = useQuery(watches(site.code));
  const [pressed, setPressed] = useState<SiteWatch>();
  const buttons = data.filter(({ watch }) => watch?.when.is === 'pressed');
  if (buttons.length === 0) return null;
  return (
    <May right="answer">
      <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: 'wrap', mb: 2 }}>
        {buttons.map((one) => (
          <Button key={one.code} variant="outlined" color="error" onClick={() => setPressed(one)}>
            {one.watch?.name}
          </Button>
        ))}
      </Stack>
      {pressed && <PressDialog pressed={pressed} onClose={() => setPressed(undefined)} />}
    </May>
  );
}

function PressDialog({ pressed, onClose }: { pressed: SiteWatch; onClose: () => void }) {
  const site = useSite();
  const cache = useQueryClient();
  const [note, setNote] = useState('');
  const press = useMutation({
    mutationFn: () => api.post(`${watchPath(site.code, pressed.code)}/press`, { note }),
    onSuccess: async () => {
      await cache.invalidateQueries({ queryKey: ['alarms', site.code] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={pressed.watch?.name ?? pressed.code}
      submit="Call now"
      onSubmit={() => press.mutate()}
      onClose={onClose}
      isPending={press.isPending}
      error={press.error}
    >
      <TextField
        label="What has happened, and where"
        value={note}
        onChange={(event) => setNote(event.target.value)}
        multiline
        minRows={2}
        slotProps={{ htmlInput: { maxLength: 1000 } }}
        autoFocus
      />
    </FormDialog>
  );
}
