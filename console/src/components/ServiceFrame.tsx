import Container from '@mui/material/Container';
import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import type { ReactNode } from 'react';
import { Link as RouterLink } from 'react-router';
import { Mark } from './Mark';
import { PageHeading } from './PageHeading';

/** What stands around a page that belongs to no site. */
export function ServiceFrame({
  title,
  action,
  width = 'md',
  children,
}: {
  title: string;
  /** A button beside the title. */
  action?: ReactNode;
  width?: 'md' | 'lg';
  children: ReactNode;
}) {
  return (
    <Container component="main" maxWidth={width} sx={{ py: { xs: 3, md: 6 } }}>
      <Stack direction="row" sx={{ alignItems: 'center', gap: 1.5, mb: 3, flexWrap: 'wrap' }}>
        <Link component={RouterLink} to="/" state={{ list: true }} aria-label="Key Lantern: to the sites">
          <Mark size={36} />
        </Link>
        <PageHeading>{title}</PageHeading>
        {action}
      </Stack>
      {children}
    </Container>
  );
}
