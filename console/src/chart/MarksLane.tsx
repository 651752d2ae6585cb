import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import ButtonBase from '@mui/material/ButtonBase';
import Popover from '@mui/material/Popover';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Span } from '../api/pastQueries';
import type { Mark, MarkKind } from '../api/schema';
import { useSite } from '../components/siteContext';
import { dateTime } from '../format/time';
import { inWords, markText, placed, stretches } from './marks';
import { frameOf } from './frame';
import { useWidth } from './useWidth';

interface Props {
  marks: Mark[];
  /** Not all marks could be told. */
  isCut: boolean;
  span: Span;
  zone: string;
  isNamed: boolean;
  hasRight: boolean;
  onChange: (mark: Mark) => void;
}

/** Size of a mark, which is large enough for a finger beside others. */
const SIZE = 24;

/** What stands at times below the panes of a chart: each mark is a button that says more. */
export function MarksLane({ marks, isCut, span, zone, isNamed, hasRight, onChange }: Props) {
  const { ref, width } = useWidth();
  const [open, setOpen] = useState<{ at: HTMLElement; marks: Mark[] }>();
  const frame = frameOf(isNamed, hasRight, width);
  const places = placed(marks, span);
  return (
    <Box ref={ref} sx={{ mb: 2 }}>
      {(places.length > 0 || isCut) && (
        <Box
          role="group"
          aria-label="Marks in this time"
          sx={{ position: 'relative', height: SIZE + 8, ml: `${frame.left}px`, mr: `${frame.right}px` }}
        >
          <Box sx={{ position: 'absolute', inset: 0, top: SIZE / 2, borderTop: 1, borderColor: 'divider' }} />
          {stretches(marks, span).map(({ from, to, mark }) => (
            <Box
              key={`${mark.kind} ${mark.about} ${mark.from} ${mark.id ?? ''}`}
              sx={{
                position: 'absolute',
                top: SIZE / 2 - 3,
                height: 6,
                left: `${from * 100}%`,
                width: `${(to - from) * 100}%`,
                bgcolor: mark.kind === 'alarm' ? 'error.main' : 'primary.main',
                opacity: 0.35,
              }}
            />
          ))}
          {places.map(({ at, marks: here }) => (
            <ButtonBase
              key={`${here[0]?.from} ${here[0]?.kind}`}
              onClick={(event) => setOpen({ at: event.currentTarget, marks: here })}
              aria-label={`${inWords(here)}, ${dateTime(here[0]?.from ?? 0, zone)}`}
              focusRipple
              sx={{
                position: 'absolute',
                left: `calc(${at * 100}% - ${SIZE / 2}px)`,
                width: SIZE,
                height: SIZE,
                borderRadius: 1,
                color: here.some(({ kind }) => kind === 'alarm') ? 'error.main' : 'primary.main',
                '&:focus-visible': { outline: 2, outlineColor: 'primary.main' },
              }}
            >
              <MarkSign kind={leading(here)} count={here.length} />
            </ButtonBase>
          ))}
        </Box>
      )}
      {isCut && (
        <Typography variant="body2" color="text.secondary">
          There are more marks than can be shown; these are the last ones. Choose a shorter time for the
          others.
        </Typography>
      )}
      <Popover
        open={open !== undefined}
        anchorEl={open?.at ?? null}
        onClose={() => setOpen(undefined)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'center' }}
        transformOrigin={{ vertical: 'top', horizontal: 'center' }}
      >
        <Box sx={{ p: 2, maxWidth: 380, maxHeight: 360, overflow: 'auto' }}>
          {open?.marks.map((mark) => (
            <MarkLine
              key={`${mark.kind} ${mark.from} ${mark.about} ${mark.id ?? ''}`}
              mark={mark}
              zone={zone}
              onChange={() => {
                setOpen(undefined);
                onChange(mark);
              }}
            />
          ))}
        </Box>
      </Popover>
    </Box>
  );
}

function MarkLine({ mark, zone, onChange }: { mark: Mark; zone: string; onChange: () => void }) {
  const site = useSite();
  const until = mark.to === undefined ? '' : ` to ${dateTime(mark.to, zone)}`;
  return (
    <Box sx={{ '& + &': { mt: 1.5 } }}>
      <Typography sx={{ overflowWrap: 'anywhere', whiteSpace: 'pre-line' }}>{markText(mark)}</Typography>
      <Typography variant="body2" color="text.secondary">
        {dateTime(mark.from, zone)}
        {until}
        {mark.by !== undefined && `, ${mark.by}`}
      </Typography>
      {mark.kind === 'alarm' && mark.id !== undefined && (
        <Button size="small" component={Link} to={`/sites/${site.code}/alarms/${mark.id}`} sx={{ ml: -0.5 }}>
          Open the alarm
        </Button>
      )}
      {mark.kind === 'note' && (
        <Button size="small" onClick={onChange} sx={{ ml: -0.5 }}>
          Change
        </Button>
      )}
    </Box>
  );
}

/** Whose sign stands for several: an alarm's, if there is one. */
function leading(marks: Mark[]): MarkKind {
  return marks.some(({ kind }) => kind === 'alarm') ? 'alarm' : (marks[0]?.kind ?? 'note');
}

/** A sign for each sort of mark, told apart without colour; several together are a number. */
function MarkSign({ kind, count }: { kind: MarkKind; count: number }) {
  return (
    <svg width={SIZE} height={SIZE} viewBox="0 0 24 24" aria-hidden>
      <path d={SIGNS[kind]} fill="currentColor" fillRule="evenodd" />
      {count > 1 && (
        <>
          <circle cx={18.5} cy={5.5} r={5.5} fill="currentColor" />
          <text x={18.5} y={9} fontSize={9} fontWeight={650} textAnchor="middle" className="count">
            {count > 99 ? '…' : count}
          </text>
        </>
      )}
    </svg>
  );
}

const SIGNS: Record<MarkKind, string> = {
  // A leaf with two lines, a disc with a hole, a triangle, a flag on a staff, a flame, an octagon with a bar and a dot.
  note: 'M6 5h12v10l-4 4H6zM8.5 8.5v1.5h7V8.5zM8.5 12v1.5h7V12z',
  'hand-reading': 'M12 6a6 6 0 1 0 .01 0zM12 10a2 2 0 1 0 .01 0z',
  command: 'M7 6l11 6-11 6z',
  trial: 'M7 4h1.8v16H7zM9.6 5h9l-3 3.5 3 3.5h-9z',
  'went-live': 'M12 4c3.5 4 5 6.5 5 9.500a5 5 0 0 1-10 0C7 10.500 8.500 8 12 4z',
  alarm: 'M9 5h6l4 4v6l-4 4H9l-4-4V9zM11 8v5h2V8zM11 14.500v2h2v-2z',
};
