import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { commands as commandsQuery, device as deviceQuery, devicePath } from '../../api/queries';
import type { Command, CommandDeclaration, Device } from '../../api/schema';
import { Loading, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { CommandDialog } from './CommandDialog';
import { CommandForm } from './CommandForm';
import { CommandLines } from './CommandLines';
import { May, useMay } from '../../components/may';

/** What a device can be told to do, and what became of what it was told. */
export function CommandsSection({ code }: { code: string }) {
  const site = useSite();
  const { data, error } = useQuery(deviceQuery(site.code, code));
  if (error) return <ProblemAlert error={error} />;
  if (!data) return <Loading height={120} />;
  return <Commands device={data} />;
}

/** What is open over the list. */
type Open = { kind: 'none' } | { kind: 'add' } | { kind: 'edit'; command: CommandDeclaration };

function Commands({ device }: { device: Device }) {
  const site = useSite();
  const cache = useQueryClient();
  const mayCommand = useMay('command');
  const [open, setOpen] = useState<Open>({ kind: 'none' });
  const given = useQuery(commandsQuery(site.code, device.code));
  const declared = device.commands ?? [];
  const path = devicePath(site.code, device.code);
  const save = useMutation({
    mutationFn: (commands: CommandDeclaration[]) => api.patch<Device>(path, { commands }),
    onSuccess: (changed) => {
      cache.setQueryData(deviceQuery(site.code, device.code).queryKey, changed);
      setOpen({ kind: 'none' });
    },
  });
  const take = (command: Command) =>
    cache.setQueryData<Command[]>(commandsQuery(site.code, device.code).queryKey, (known) =>
      known?.some((old) => old.id === command.id) ? known : [command, ...(known ?? [])],
    );
  const without = (name: string) => declared.filter((command) => command.name !== name);
  return (
    <Paper sx={{ p: 2 }}>
      {declared.length === 0 && (
        <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 760 }}>
          It understands no commands. Declare what it can be told: a switch, a set point, a function with
          arguments. It gets them over MQTT on the topic SITE/DEVICE/do/COMMAND, or in the answer to its next
          delivery.
        </Typography>
      )}
      {mayCommand &&
        declared.map((command) => (
          <CommandForm
            key={command.name}
            path={path}
            command={command}
            onGiven={take}
            onEdit={() => setOpen({ kind: 'edit', command })}
          />
        ))}
      <Box sx={{ mt: declared.length === 0 ? 0 : 2 }}>
        <May right="set_up">
          <Button variant="outlined" onClick={() => setOpen({ kind: 'add' })}>
            Declare a command
          </Button>
        </May>
      </Box>
      {given.error && <ProblemAlert error={given.error} />}
      <CommandLines path={path} commands={given.data ?? []} />
      {open.kind !== 'none' && (
        <CommandDialog
          command={open.kind === 'edit' ? open.command : undefined}
          error={save.error}
          saving={save.isPending}
          onClose={() => {
            save.reset();
            setOpen({ kind: 'none' });
          }}
          onSave={(command) =>
            save.mutate([...without(open.kind === 'edit' ? open.command.name : ''), command])
          }
          onRemove={open.kind === 'edit' ? () => save.mutate(without(open.command.name)) : undefined}
        />
      )}
    </Paper>
  );
}
