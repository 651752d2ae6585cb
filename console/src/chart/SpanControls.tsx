import CloserIcon from '@mui/icons-material/Add';
import EarlierIcon from '@mui/icons-material/ChevronLeft';
import LaterIcon from '@mui/icons-material/ChevronRight';
import WiderIcon from '@mui/icons-material/Remove';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import IconButton from '@mui/material/IconButton';
import Stack from '@mui/material/Stack';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import type { ReactNode } from 'react';
import type { Span } from '../api/pastQueries';
import { LocalTime } from '../components/LocalTime';
import { serviceNow } from '../format/clock';
import { around } from './days';
import type { Drawn } from './drawn';
import { useAllThereIs } from './useAllThereIs';
import { zoomed } from './zoom';
import { SPANS, type Shown, type SpanId } from './spans';

interface ControlsProps {
  shown: Shown;
  span: Span;
  zone: string;
  signals: Drawn[];
  onShow: (shown: Shown) => void;
}

/** The time that is shown: the last stretch up to now, or a typed one. */
export function SpanControls({ shown, span, zone, signals, onShow }: ControlsProps) {
  const length = span.to - span.from;
  const move = (share: number) => {
    const to = Math.min(span.to + share * length, serviceNow());
    onShow({ fixed: { from: to - length, to } });
  };
  const all = useAllThereIs(signals);
  const resized = (factor: number) => zoomed(span, factor, (span.from + span.to) / 2, serviceNow());
  return (
    <Stack direction="row" useFlexGap spacing={1} sx={{ flexWrap: 'wrap', alignItems: 'center', mb: 2 }}>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={shown.id ?? null}
        onChange={(_, id: SpanId | null) => id && onShow({ id })}
        aria-label="Time shown"
        sx={{ flexWrap: 'wrap' }}
      >
        {SPANS.map(({ id, label, words }) => (
          <ToggleButton
            key={id}
            value={id}
            aria-label={`The last ${words}`}
            sx={{ textTransform: 'none', px: 1 }}
          >
            {label}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Button
        size="small"
        sx={NARROW_BUTTON}
        onClick={() => onShow({ fixed: around('day', serviceNow(), zone) })}
      >
        Today
      </Button>
      <Button
        size="small"
        sx={NARROW_BUTTON}
        onClick={() => onShow({ fixed: around('week', serviceNow(), zone) })}
      >
        This week
      </Button>
      <Button
        size="small"
        sx={NARROW_BUTTON}
        onClick={async () => {
          const fixed = await all();
          if (fixed) onShow({ fixed });
        }}
      >
        All there is
      </Button>
      <Box>
        <Move label="Earlier" icon={<EarlierIcon />} onClick={() => move(-0.5)} />
        <Move label="Later" icon={<LaterIcon />} isDisabled={!shown.fixed} onClick={() => move(0.5)} />
        <Move label="Closer" icon={<CloserIcon />} onClick={() => onShow({ fixed: resized(0.5) })} />
        <Move label="Wider" icon={<WiderIcon />} onClick={() => onShow({ fixed: resized(2) })} />
      </Box>
      <Stack direction="row" spacing={1}>
        <LocalTime
          label="From"
          at={span.from}
          zone={zone}
          onChange={(from) => from < span.to && onShow({ fixed: { from, to: span.to } })}
        />
        <LocalTime
          label="To"
          at={span.to}
          zone={zone}
          onChange={(to) => to > span.from && onShow({ fixed: { from: span.from, to } })}
        />
      </Stack>
    </Stack>
  );
}

interface MoveProps {
  label: string;
  icon: ReactNode;
  isDisabled?: boolean;
  onClick: () => void;
}

/** Another time than the one that is shown. */
function Move({ label, icon, isDisabled = false, onClick }: MoveProps) {
  return (
    <IconButton
      size="small"
      color="primary"
      aria-label={label}
      title={label}
      disabled={isDisabled}
      onClick={onClick}
    >
      {icon}
    </IconButton>
  );
}

const NARROW_BUTTON = { minWidth: 0, px: 1 };
