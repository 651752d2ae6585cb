import Box from '@mui/material/Box';
import type { Severity } from '../../api/schema';

/** How full a mark is, and whether it is loud. */
const LOOKS: Record<Severity, { color: string; bgcolor: string; border: string }> = {
  urgent: { color: 'error.contrastText', bgcolor: 'error.main', border: 'error.main' },
  high: { color: 'error.main', bgcolor: 'transparent', border: 'error.main' },
  medium: { color: 'warning.main', bgcolor: 'transparent', border: 'warning.main' },
  low: { color: 'text.secondary', bgcolor: 'transparent', border: 'divider' },
};

/** How bad an alarm is, as a word in a pennant. */
export function SeverityMark({ severity }: { severity: Severity }) {
  const { color, bgcolor, border } = LOOKS[severity];
  return (
    <Box
      component="span"
      sx={{
        display: 'inline-block',
        minWidth: 68,
        textAlign: 'center',
        px: 1,
        borderRadius: '3px 10px 10px 3px',
        border: 1.5,
        borderColor: border,
        color,
        bgcolor,
        fontSize: 13,
        fontWeight: 650,
      }}
    >
      {severity}
    </Box>
  );
}
