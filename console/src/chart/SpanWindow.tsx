import Box from '@mui/material/Box';
import { useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { Span } from '../api/pastQueries';
import { dateTime } from '../format/time';
import { centredAt, movedBy, placeOf, stepOf, type Grip } from './ruler';

interface Props {
  whole: Span;
  width: number;
  height: number;
  /** What is shown of the whole. */
  span: Span;
  zone: string;
  onShow: (span: Span) => void;
}

/** A grip is this wide for a finger, in pixels. */
const GRIP = 24;

/** What is shown of the whole: dragged, stretched, moved by keys. A press beside it takes it there. */
export function SpanWindow({ whole, width, height, span, zone, onShow }: Props) {
  const [held, setHeld] = useState<{ grip: Grip; x: number; span: Span }>();
  const [moved, setMoved] = useState<Span>();
  const shown = moved ?? span;
  const [left, right] = [placeOf(shown.from, whole) * width, placeOf(shown.to, whole) * width];
  const hold = (grip: Grip) => (event: PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    setHeld({ grip, x: event.clientX, span });
  };
  const drag = (event: PointerEvent) => {
    if (held) setMoved(movedBy(held.span, held.grip, (event.clientX - held.x) / width, whole));
  };
  const drop = () => {
    if (moved) onShow(moved);
    setHeld(undefined);
    setMoved(undefined);
  };
  const onKey = (grip: Grip) => (event: KeyboardEvent) => {
    const step = stepOf(event.key, span, whole);
    if (step === undefined) return;
    event.preventDefault();
    onShow(movedBy(span, grip, step, whole));
  };
  const goTo = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    onShow(centredAt(span, (event.clientX - box.left) / width, whole));
  };
  const time = (at: number) => dateTime(at, zone);
  const grips: { grip: Grip; label: string; at: number; text: string; sx: object }[] = [
    {
      grip: 'window',
      label: 'The time shown',
      at: shown.from,
      text: `${time(shown.from)} to ${time(shown.to)}`,
      sx: windowLook(left, right, height),
    },
    {
      grip: 'begin',
      label: 'Begin of the time shown',
      at: shown.from,
      text: time(shown.from),
      sx: gripLook('begin', left - GRIP, height),
    },
    {
      grip: 'end',
      label: 'End of the time shown',
      at: shown.to,
      text: time(shown.to),
      sx: gripLook('end', right, height),
    },
  ];
  return (
    <>
      <Box onPointerDown={goTo} sx={{ position: 'absolute', inset: 0, height, cursor: 'pointer' }} />
      {grips.map(({ grip, label, at, text, sx }) => (
        <Box
          key={grip}
          role="slider"
          tabIndex={0}
          aria-label={label}
          aria-valuemin={whole.from}
          aria-valuemax={whole.to}
          aria-valuenow={Math.round(at)}
          aria-valuetext={text}
          onPointerDown={hold(grip)}
          onPointerMove={drag}
          onPointerUp={drop}
          onPointerCancel={drop}
          onKeyDown={onKey(grip)}
          sx={sx}
        />
      ))}
    </>
  );
}

const windowLook = (from: number, to: number, height: number) => ({
  position: 'absolute',
  top: 0,
  left: from,
  width: Math.max(3, to - from),
  height: height,
  border: 2,
  borderColor: 'primary.main',
  bgcolor: 'action.selected',
  cursor: 'grab',
  touchAction: 'none',
  '&:active': { cursor: 'grabbing' },
});

const gripLook = (grip: Grip, from: number, height: number) => ({
  position: 'absolute',
  top: 0,
  left: from,
  width: GRIP,
  height: height,
  cursor: 'ew-resize',
  touchAction: 'none',
  // The part that is seen leans against the window.
  '&::after': {
    content: '""',
    position: 'absolute',
    top: height / 4,
    height: height / 2,
    width: 8,
    [grip === 'begin' ? 'right' : 'left']: 0,
    bgcolor: 'primary.main',
    borderRadius: grip === 'begin' ? '4px 0 0 4px' : '0 4px 4px 0',
  },
});
