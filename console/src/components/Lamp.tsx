import { styled } from '@mui/material/styles';
import type { Presence } from '../api/schema';

const Glass = styled('svg')(({ theme }) => ({
  flex: 'none',
  color: theme.vars?.palette.text.secondary,
  '& .flame': { color: theme.vars?.palette.primary.main },
  '& .flag': { color: theme.vars?.palette.secondary.main },
  '& .stroke': { color: theme.vars?.palette.error.main },
  '& .pulse': { animation: 'lamp-pulse 600ms ease-out' },
  '@keyframes lamp-pulse': { from: { opacity: 0.25 }, to: { opacity: 1 } },
  '@media (prefers-reduced-motion: reduce)': { '& .pulse': { animation: 'none' } },
}));

const FLAME =
  'M12.4 6.800c.2 2.400 3.500 3.900 3.500 7.300a3.900 3.900 0 0 1-7.800 0c0-1.800.9-3 1.900-4.100.2 1.200.7 1.800 1.300 2 0-1.900.1-3.900 1.100-5.200z';

/**
 * The lamp of a device: full flame when fresh, half a flame when late, dark and
 * struck through when silent, a dotted outline when never heard. `beat` changes
 * with each reading and makes it pulse once.
 */
export function Lamp({
  presence,
  beat,
  size = 32,
  trial = false,
}: {
  presence: Presence;
  beat?: string | undefined;
  size?: number;
  /** A small flag at its foot. */
  trial?: boolean;
}) {
  const never = presence === 'never';
  return (
    <Glass
      width={size}
      height={size}
      viewBox="0 0 24 24"
      role="img"
      aria-label={`Lamp: ${presence}${trial ? ', in trial' : ''}`}
    >
      <g
        fill="none"
        stroke="currentColor"
        strokeWidth={1.5}
        strokeLinejoin="round"
        strokeLinecap="round"
        strokeDasharray={never ? '0.1 2.6' : undefined}
      >
        <path d="M9 3.500h6" />
        <path d="M6.500 6h11l1 13h-13z" />
        <path d="M5 21.500h14" />
      </g>
      {presence === 'fresh' && <path key={beat} className="flame pulse" d={FLAME} fill="currentColor" />}
      {presence === 'late' && (
        <g className="flame">
          <path d={FLAME} fill="none" stroke="currentColor" strokeWidth={1.2} />
          <path d="M8.100 13.800a3.900 3.900 0 0 0 7.800 0z" fill="currentColor" />
        </g>
      )}
      {presence === 'silent' && (
        <path
          className="stroke"
          d="M4 20 20 4.500"
          stroke="currentColor"
          strokeWidth={2}
          strokeLinecap="round"
        />
      )}
      {trial && (
        <g className="flag">
          <path d="M19 22v-7.500" stroke="currentColor" strokeWidth={1.4} strokeLinecap="round" />
          <path d="M19 14.500h4.500l-1.300 1.700 1.300 1.700H19z" fill="currentColor" />
        </g>
      )}
    </Glass>
  );
}
