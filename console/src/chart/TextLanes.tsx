import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Span } from '../api/pastQueries';
import { ProblemAlert } from '../components/states';
import { fixed } from '../format/number';
import { dateTime } from '../format/time';
import { seriesColour } from '../theme/series';
import { fullName, keyOf, type Drawn } from './drawn';
import { frameOf } from './frame';
import { shares, textSpans, tones, type TextSpan } from './stays';
import { useScheme } from './useScheme';
import type { Stays } from './useStays';
import { useWidth } from './useWidth';

interface Props {
  signals: Drawn[];
  stays: Stays;
  span: Span;
  zone: string;
  isNamed: boolean;
  hasRight: boolean;
}

const HEIGHT = 28;
/** A span narrower than this, in pixels, has no room for its text. */
const LEGIBLE = 28;

/** Texts over the time of the panes above: for each signal a lane with a span for each text. */
export function TextLanes({ signals, stays, span, zone, isNamed, hasRight }: Props) {
  const { ref, width } = useWidth();
  const frame = frameOf(isNamed, hasRight, width);
  const room = Math.max(0, width - frame.left - frame.right);
  return (
    <Box ref={ref}>
      {stays.error !== null && <ProblemAlert error={stays.error} />}
      {signals.map((signal) => {
        const key = keyOf(signal);
        const spans = textSpans(stays.of.get(key) ?? [], signal.interval_s, span);
        return (
          <Box component="figure" key={key} sx={{ m: 0, mb: 2 }}>
            <Box component="figcaption" sx={{ fontWeight: 650 }}>
              {fullName(signal)}
            </Box>
            <Box sx={{ ml: `${frame.left}px`, mr: `${frame.right}px`, height: HEIGHT }}>
              <Lane spans={spans} span={span} zone={zone} width={room} label={sentence(signal, spans)} />
            </Box>
            <Typography data-story sx={{ overflowWrap: 'anywhere' }}>
              {sentence(signal, spans)}
            </Typography>
            {stays.cut.has(key) && (
              <Typography variant="body2" color="text.secondary">
                It changed too often for all of this time to be shown. Choose a shorter one.
              </Typography>
            )}
          </Box>
        );
      })}
    </Box>
  );
}

interface LaneProps {
  spans: TextSpan[];
  span: Span;
  zone: string;
  width: number;
  label: string;
}

function Lane({ spans, span, zone, width, label }: LaneProps) {
  const scheme = useScheme();
  const tone = tones(spans);
  const x = (at: number) => ((at - span.from) / (span.to - span.from)) * width;
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={label}>
      {spans.map(({ text, from, to }) => {
        const [left, wide] = [x(from), Math.max(1, x(to) - x(from))];
        const colour = seriesColour(tone.get(text) ?? 0, scheme);
        return (
          <g key={from}>
            <title>{`${text}: ${dateTime(from, zone)} to ${dateTime(to, zone)}`}</title>
            <rect x={left} y={3} width={wide} height={HEIGHT - 6} fill={colour} opacity={0.22} />
            <rect x={left} y={3} width={Math.min(2, wide)} height={HEIGHT - 6} fill={colour} />
            {wide >= LEGIBLE && (
              <svg x={left + 6} y={0} width={wide - 8} height={HEIGHT}>
                <text x={0} y={HEIGHT / 2 + 5} fontSize={13} fill="currentColor">
                  {text}
                </text>
              </svg>
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** Texts that are told apart in a sentence. */
const MOST = 4;

/** As much of a text as a sentence bears. */
const short = (text: string): string => (text.length > 40 ? `${text.slice(0, 39)}…` : text);

/** Which texts held for how much of the time, in a sentence. */
function sentence(signal: Drawn, spans: TextSpan[]): string {
  const told = shares(spans);
  if (told.length === 0) return `${fullName(signal)}: no readings in this time.`;
  const [only] = told;
  if (only && told.length === 1) return `${fullName(signal)}: “${short(only.text)}” all the time.`;
  const parts = told.slice(0, MOST).map(({ text, share }) => `“${short(text)}” ${fixed(share * 100, 0)} %`);
  const more = told.length > MOST ? `, and ${told.length - MOST} others` : '';
  return `${fullName(signal)}: ${parts.join(', ')}${more} of the time.`;
}
