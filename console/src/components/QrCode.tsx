import Box from '@mui/material/Box';
import { encode } from 'uqr';

/** A text as a QR code (ISO/IEC 18004), dark on white in every theme, because readers want it so. */
export function QrCode({ text, label, size = 176 }: { text: string; label: string; size?: number }) {
  const { data } = encode(text, { border: 3 });
  const side = data.length;
  const path = data.flatMap((row, y) => row.map((dark, x) => (dark ? `M${x} ${y}h1v1h-1z` : ''))).join('');
  return (
    <Box
      component="svg"
      role="img"
      aria-label={label}
      viewBox={`0 0 ${side} ${side}`}
      shapeRendering="crispEdges"
      sx={{ width: size, height: size, bgcolor: '#fff', borderRadius: 1, display: 'block' }}
    >
      <path d={path} fill="#000" />
    </Box>
  );
}
