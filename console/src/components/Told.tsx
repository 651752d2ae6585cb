import Box from '@mui/material/Box';
import { mono } from '../theme/theme';

/** A sentence of the service, in which names and values stand between backticks. */
export function Told({ children }: { children: string }) {
  const parts = children.split('`');
  // An odd one out is no mark.
  if (parts.length % 2 === 0) return <>{children}</>;
  return (
    <>
      {parts.map((part, index) =>
        index % 2 === 0 ? (
          part
        ) : (
          <Box component="code" key={index} sx={mono}>
            {part}
          </Box>
        ),
      )}
    </>
  );
}
