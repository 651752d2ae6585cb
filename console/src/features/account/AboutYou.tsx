import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../../api/client';
import { account as accountQuery } from '../../api/peopleQueries';
import { session } from '../../api/queries';
import type { Account, DecimalMark } from '../../api/schema';
import { ProblemAlert } from '../../components/states';

const zones = Intl.supportedValuesOf('timeZone');

/** Name, numbers, zone and addresses. */
export function AboutYou({ account }: { account: Account }) {
  const cache = useQueryClient();
  const [name, setName] = useState(account.name);
  const [mark, setMark] = useState<DecimalMark | ''>(account.decimal_mark ?? '');
  const [zone, setZone] = useState(account.zone ?? '');
  const [addresses, setAddresses] = useState(account.addresses.join('\n'));
  const change = useMutation({
    mutationFn: () =>
      api.patch<Account>('/account', {
        name,
        decimal_mark: mark === '' ? null : mark,
        zone: zone === '' ? null : zone,
        addresses: addresses.split('\n').filter((line) => line.trim() !== ''),
      }),
    onSuccess: async (changed) => {
      cache.setQueryData(accountQuery().queryKey, changed);
      await cache.invalidateQueries({ queryKey: session().queryKey });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    change.mutate();
  };
  return (
    <Stack component="form" spacing={2} onSubmit={submit} sx={{ mt: 2, maxWidth: 480 }}>
      <TextField
        label="Name"
        value={name}
        onChange={(event) => setName(event.target.value)}
        autoComplete="username"
        required
      />
      <TextField
        select
        label="Numbers are written"
        value={mark}
        onChange={(event) => setMark(event.target.value as DecimalMark | '')}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        <MenuItem value="">as the site has them</MenuItem>
        <MenuItem value="point">1.5</MenuItem>
        <MenuItem value="comma">1,5</MenuItem>
      </TextField>
      <TextField
        label="Time zone"
        value={zone}
        onChange={(event) => setZone(event.target.value)}
        placeholder="that of the site"
        helperText="Such as Europe/London; empty for that of the site."
        slotProps={{ htmlInput: { list: 'zones' }, inputLabel: { shrink: true } }}
      />
      <datalist id="zones">
        {zones.map((one) => (
          <option key={one} value={one} />
        ))}
      </datalist>
      <TextField
        label="Where you can be reached"
        value={addresses}
        onChange={(event) => setAddresses(event.target.value)}
        multiline
        minRows={2}
        helperText="Mail addresses and telephone numbers (+44 …), a line each. Only you see them."
      />
      {change.error && <ProblemAlert error={change.error} />}
      <div>
        <Button type="submit" variant="contained" loading={change.isPending}>
          {change.isSuccess ? 'Saved' : 'Save'}
        </Button>
      </div>
    </Stack>
  );
}
