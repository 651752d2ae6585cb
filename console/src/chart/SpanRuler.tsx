import Box from '@mui/material/Box';
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { signalSpans, summary, type Span } from '../api/pastQueries';
import { serviceNow } from '../format/clock';
import { bandOf } from './columnLayers';
import { keyOf, type Drawn } from './drawn';
import { roomFor, type Picture } from './picture';
import { placeOf, wholeOf } from './ruler';
import { columns } from './series';
import { SpanWindow } from './SpanWindow';
import { BarePicture } from './svg/BarePicture';
import { timeTicks } from './timeTicks';
import { useWidth } from './useWidth';

interface Props {
  site: string;
  /** The signal whose history stands behind the window. */
  signal: Drawn;
  span: Span;
  zone: string;
  onShow: (span: Span) => void;
}

const HEIGHT = 36;
const TICKS = 18;
/** Room at both sides for the ends of the window, in pixels. */
const SIDES = 24;
/** Buckets of the whole history. */
const BUCKETS = 300;

/** The whole history in a strip, with a window on what is shown. */
export function SpanRuler({ site, signal, span, zone, onShow }: Props) {
  const { ref, width } = useWidth();
  const known = useQuery(signalSpans(site, [keyOf(signal)])).data;
  // The whole is taken once: it must not move under the pointer.
  const whole = useMemo(() => known && wholeOf(known, serviceNow()), [known]);
  return (
    <Box
      ref={ref}
      role="group"
      aria-label="All there is"
      sx={{ position: 'relative', height: HEIGHT + TICKS, mb: 1, mx: `${SIDES}px` }}
    >
      {whole && width > 0 && (
        <>
          <Past site={site} signal={signal} whole={whole} width={width} />
          <Times whole={whole} zone={zone} width={width} />
          <SpanWindow whole={whole} width={width} height={HEIGHT} span={span} zone={zone} onShow={onShow} />
        </>
      )}
    </Box>
  );
}

interface PastProps {
  site: string;
  signal: Drawn;
  whole: Span;
  width: number;
}

/** From least to most of the signal over all there is. */
function Past({ site, signal, whole, width }: PastProps) {
  const { data } = useQuery(summary(site, signal.device, signal.signal, whole, BUCKETS, signal.asked));
  const picture = useMemo<Picture | undefined>(() => {
    if (data === undefined) return undefined;
    const found = columns([{ width_s: data.width_s ?? 0, pieces: data.buckets }], [signal.interval_s]);
    return {
      across: { kind: 'time', span: whole, zone: 'UTC' },
      up: roomFor(data.buckets.flatMap(({ min, max }) => [min, max])),
      layers: bandOf(found, 0, 0),
    };
  }, [data, signal.interval_s, whole]);
  return (
    <Box sx={{ height: HEIGHT, bgcolor: 'background.paper' }}>
      {picture && (
        <BarePicture
          picture={picture}
          label={`${signal.name}, all there is`}
          width={width}
          height={HEIGHT}
          isWide
        />
      )}
    </Box>
  );
}

function Times({ whole, zone, width }: { whole: Span; zone: string; width: number }) {
  return (
    <Box aria-hidden sx={{ position: 'relative', height: TICKS, fontSize: 12, color: 'text.secondary' }}>
      {timeTicks(whole, zone, Math.max(2, Math.floor(width / 110))).map(({ at, text }) => (
        <Box
          key={at}
          sx={{
            position: 'absolute',
            left: placeOf(at, whole) * width,
            transform: 'translateX(-50%)',
            whiteSpace: 'nowrap',
          }}
        >
          {text}
        </Box>
      ))}
    </Box>
  );
}
