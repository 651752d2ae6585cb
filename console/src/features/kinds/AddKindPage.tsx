import Typography from '@mui/material/Typography';
import { useNavigate } from 'react-router';
import { api } from '../../api/client';
import { sitePath } from '../../api/queries';
import type { Kind } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { KindForm } from './KindForm';
import { PageHeading } from '../../components/PageHeading';

/** Describes a new kind. */
export function AddKindPage() {
  const site = useSite();
  const navigate = useNavigate();
  return (
    <>
      <PageHeading gutterBottom>Describe a kind</PageHeading>
      <Typography color="textSecondary" sx={{ mb: 3 }}>
        A make of device, described once. Devices made from it have its signals and its decoder.
      </Typography>
      <KindForm
        submitLabel="Make the kind"
        save={(description) => api.post<Kind>(`${sitePath(site.code)}/kinds`, description)}
        onSaved={(kind) => void navigate(`/sites/${site.code}/kinds/${kind.code}`)}
      />
    </>
  );
}
