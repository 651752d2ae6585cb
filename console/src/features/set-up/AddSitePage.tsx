import Button from '@mui/material/Button';
import Container from '@mui/material/Container';
import Paper from '@mui/material/Paper';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../api/client';
import type { Site } from '../../api/schema';
import { PageHeading } from '../../components/PageHeading';
import { ProblemAlert } from '../../components/states';
import { CodeField, ZoneField } from './fields';

export function AddSitePage() {
  const [name, setName] = useState('');
  const [code, setCode] = useState('');
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone);
  const navigate = useNavigate();
  const cache = useQueryClient();
  const add = useMutation({
    mutationFn: () => api.post<Site>('/sites', { name, zone, ...(code === '' ? {} : { code }) }),
    onSuccess: async (site) => {
      await cache.invalidateQueries({ queryKey: ['sites'] });
      await navigate(`/sites/${site.code}`);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    add.mutate();
  };
  return (
    <Container component="main" maxWidth="sm" sx={{ py: 6 }}>
      <PageHeading gutterBottom>Add a site</PageHeading>
      <Typography color="textSecondary" sx={{ mb: 3 }}>
        A site is a place or project. Its times are shown in its own zone.
      </Typography>
      <Paper sx={{ p: 3 }}>
        <Stack component="form" spacing={2.5} onSubmit={submit}>
          <TextField
            label="Name of the site"
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
            autoFocus
          />
          <CodeField name={name} value={code} onChange={setCode} />
          <ZoneField value={zone} onChange={setZone} />
          {add.error && <ProblemAlert error={add.error} />}
          <Button type="submit" variant="contained" loading={add.isPending} sx={{ alignSelf: 'flex-start' }}>
            Add the site
          </Button>
        </Stack>
      </Paper>
    </Container>
  );
}
