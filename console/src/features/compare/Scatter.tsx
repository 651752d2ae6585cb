import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Compared, Comparison } from '../../api/schema';
import { PictureView } from '../../chart/svg/PictureView';
import { pairsPicture } from './pictures';

/** Each pair as a point: the other against the reference, with the line where they agree. */
export function Scatter({ found, other }: { found: Comparison; other: Compared }) {
  return (
    <Box>
      <PictureView
        picture={pairsPicture(found, other)}
        title={`${other.signal} against ${found.reference}`}
        label={`${other.sample.length} pairs as points`}
        height={360}
      />
      <Typography variant="body2" color="textSecondary">
        Dotted: where both say the same{other.figures?.line ? '. Line: what fits them best' : ''}.
      </Typography>
    </Box>
  );
}
