import Button from '@mui/material/Button';
import Container from '@mui/material/Container';
import { Link } from 'react-router';
import { Empty } from './states';

export function NotFound() {
  return (
    <Container maxWidth="sm" sx={{ py: 6 }}>
      <Empty
        title="There is no such page"
        action={
          <Button component={Link} to="/" variant="contained">
            To the sites
          </Button>
        }
      >
        The address may be mistyped, or what it showed was removed.
      </Empty>
    </Container>
  );
}
