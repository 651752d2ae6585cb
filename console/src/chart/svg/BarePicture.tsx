import Box from '@mui/material/Box';
import type { Picture } from '../picture';
import { Layers } from './Layers';

interface Props {
  picture: Picture;
  label: string;
  width: number;
  height: number;
  /** It takes all the width there is. */
  isWide?: boolean;
}

/** A small picture without axes; its scale is said in words. */
export function BarePicture({ picture, label, width, height, isWide = false }: Props) {
  const { across, up } = picture;
  const [from, to] = across.kind === 'time' ? [across.span.from, across.span.to] : [across.low, across.high];
  const [low, high] = up;
  const scales = {
    x: (at: number) => ((at - from) / (to - from || 1)) * width,
    y: (value: number) => height - ((value - low) / (high - low || 1)) * height,
    top: 0,
    bottom: height,
  };
  return (
    <Box
      component="svg"
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio={isWide ? 'none' : undefined}
      role="img"
      aria-label={label}
      sx={{ width: isWide ? '100%' : width, height, display: 'block', overflow: 'visible' }}
    >
      <title>{label}</title>
      <Layers layers={picture.layers} scales={scales} />
    </Box>
  );
}
