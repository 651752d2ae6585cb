import Button from '@mui/material/Button';
import Divider from '@mui/material/Divider';
import ListItemText from '@mui/material/ListItemText';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { api } from '../../api/client';
import { views } from '../../api/pastQueries';
import { part } from '../../api/queries';
import type { NewView, View } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { RemoveButton } from '../../components/RemoveButton';
import { ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';

/** Views of charts that are kept by name: one is looked at, this one is kept, one is removed. */
export function ViewsMenu() {
  const { code } = useSite();
  const [params, setParams] = useSearchParams();
  const [anchor, setAnchor] = useState<HTMLElement>();
  const [isKeeping, setKeeping] = useState(false);
  const { data, error, refetch } = useQuery({ ...views(code), enabled: anchor !== undefined || isKeeping });
  const here = params.toString();
  const shown = data?.find(({ query }) => query === here);
  const close = () => setAnchor(undefined);
  return (
    <>
      <Button
        size="small"
        aria-haspopup="menu"
        aria-expanded={anchor !== undefined}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        Views
      </Button>
      <Menu anchorEl={anchor ?? null} open={anchor !== undefined} onClose={close}>
        {error && !data && (
          <li>
            <ProblemAlert error={error} onRetry={() => void refetch()} />
          </li>
        )}
        {data?.map((view) => (
          <MenuItem
            key={view.name}
            selected={view === shown}
            onClick={() => {
              setParams(new URLSearchParams(view.query));
              close();
            }}
          >
            <ListItemText
              primary={view.name}
              secondary={`kept by ${view.kept_by}`}
              sx={{ '& *': { overflowWrap: 'anywhere', whiteSpace: 'normal' }, maxWidth: 320 }}
            />
          </MenuItem>
        ))}
        {data?.length === 0 && (
          <Typography component="li" color="text.secondary" sx={{ px: 2, py: 1, maxWidth: 320 }}>
            No view is kept yet. A view is this page as it is now: signals, time and look.
          </Typography>
        )}
        <Divider component="li" />
        <MenuItem
          disabled={!params.has('signals')}
          onClick={() => {
            setKeeping(true);
            close();
          }}
        >
          Keep this view …
        </MenuItem>
      </Menu>
      {isKeeping && (
        <KeepDialog
          site={code}
          query={here}
          views={data ?? []}
          shown={shown}
          onClose={() => setKeeping(false)}
        />
      )}
    </>
  );
}

interface KeepProps {
  site: string;
  query: string;
  views: View[];
  /** The view that is this one already. */
  shown: View | undefined;
  onClose: () => void;
}

function KeepDialog({ site, query, views: kept, shown, onClose }: KeepProps) {
  const cache = useQueryClient();
  const [name, setName] = useState(shown?.name ?? '');
  const path = (of: string) => `/sites/${part(site)}/views/${part(of.trim())}`;
  const onSuccess = async () => {
    await cache.invalidateQueries({ queryKey: ['views', site] });
    onClose();
  };
  const keep = useMutation({
    mutationFn: () => api.put<View>(path(name), { query } satisfies NewView),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: () => api.delete(path(name)), onSuccess });
  const isThere = kept.some((view) => view.name === name.trim());
  return (
    <FormDialog
      title="Keep this view"
      submit={isThere ? 'Replace it' : 'Keep it'}
      onSubmit={() => keep.mutate()}
      onClose={onClose}
      isPending={keep.isPending}
      error={keep.error ?? remove.error}
      disabled={name.trim() === ''}
      other={isThere && <RemoveButton isPending={remove.isPending} onRemove={() => remove.mutate()} />}
    >
      <TextField
        autoFocus
        label="Name"
        value={name}
        onChange={(event) => setName(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 120, list: 'kept-views' } }}
        helperText={
          isThere
            ? 'There is a view of that name. It will show this instead.'
            : 'Everyone of the site can look at it.'
        }
      />
      <datalist id="kept-views">
        {kept.map((view) => (
          <option key={view.name} value={view.name} />
        ))}
      </datalist>
    </FormDialog>
  );
}
