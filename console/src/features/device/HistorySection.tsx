import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useMemo, useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import type { Span } from '../../api/queries';
import type { DeviceNow, SignalNow } from '../../api/schema';
import { Empty, ProblemAlert } from '../../components/states';
import { useSite } from '../../components/siteContext';
import { serviceNow } from '../../format/clock';
import { inChosenUnit, readUnits, unitChoices, writeUnit, type ChosenUnits } from '../../format/otherUnits';
import { isDrawn } from '../../format/number';
import { dateTime, parseLocal } from '../../format/time';
import { Pane } from '../../chart/Pane';
import { ReadingsTable } from './ReadingsTable';
import type { Pieces } from '../../chart/liveSummary';
import { axisTitle, columns, panes, story } from '../../chart/series';
import { SPANS, readShown, writeShown, type Shown, type SpanId } from '../../chart/spans';
import { useHistory } from './useHistory';

/** The history of a device: panes stacked by unit, and a table beside them. */
export function HistorySection({ device }: { device: DeviceNow }) {
  const site = useSite();
  const [params, setParams] = useSearchParams();
  const shown = readShown(params);
  const show = (next: Shown) =>
    setParams((old) => writeShown(old, next), { replace: true, preventScrollReset: true });
  const chosen = useMemo(() => readUnits(params), [params]);
  const drawn = useDrawn(device, chosen);
  const choose = (own: string, other: string) =>
    setParams((old) => writeUnit(old, own, other), { replace: true, preventScrollReset: true });
  const { span, asked, bySignal, error, isPending } = useHistory(site.code, device.device, drawn, shown);
  const groups = useMemo(() => panes(drawn), [drawn]);
  if (drawn.length === 0)
    return <Empty title="Nothing to draw yet">Charts show numbers and flags. Declare a signal below.</Empty>;
  return (
    <>
      <SpanControls shown={shown} span={span} zone={site.zone} onShow={show} />
      <CompareLink site={site.code} device={device.device} pane={groups.find((pane) => pane.length > 1)} />
      {error && <ProblemAlert error={error} />}
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) 320px' },
        }}
      >
        <Box aria-busy={isPending}>
          {groups.map((pane) => (
            <PaneOf
              key={pane.map((signal) => signal.signal).join()}
              pane={pane}
              onUnit={choose}
              sets={bySignal}
              span={span}
              interval={device.interval_s}
              height={groups.length > 2 ? 190 : 240}
              isNamed={groups.some((group) => group.length > 1)}
              onZoom={(fixed) => show({ fixed })}
            />
          ))}
        </Box>
        <ReadingsTable device={device} span={span} asked={asked} chosen={chosen} />
      </Box>
    </>
  );
}

/** Where two sensors measure the same, they can be compared. */
function CompareLink({
  site,
  device,
  pane,
}: {
  site: string;
  device: string;
  pane: SignalNow[] | undefined;
}) {
  const [first, second] = pane ?? [];
  if (!first || !second || first.type !== 'number') return null;
  const query = new URLSearchParams({
    reference: `${device}/${first.signal}`,
    other: `${device}/${second.signal}`,
  });
  return (
    <Link
      component={RouterLink}
      to={`/sites/${site}/compare?${query.toString()}`}
      sx={{ display: 'inline-block', mb: 1.5 }}
    >
      Compare {first.name} and {second.name}
    </Link>
  );
}

/** The signals a chart can show, the same list as long as they are the same. */
function useDrawn(device: DeviceNow, chosen: ChosenUnits): Drawn[] {
  const key = JSON.stringify(
    device.signals.map(({ signal, name, type, unit, symbol, decimals }) => ({
      signal,
      name,
      type,
      unit,
      symbol,
      decimals,
    })),
  );
  return useMemo(
    () =>
      (JSON.parse(key) as SignalNow[])
        .filter(isDrawn)
        .map((signal) => ({ ...inChosenUnit(signal, chosen), own: signal.unit })),
    [key, chosen],
  );
}

/** A signal as it is drawn: in the unit that was chosen, with its own kept. */
type Drawn = SignalNow & { asked?: string; own?: string | undefined };

interface PaneOfProps {
  pane: Drawn[];
  onUnit: (own: string, other: string) => void;
  sets: Map<string, Pieces | undefined>;
  span: Span;
  interval: number;
  height: number;
  isNamed: boolean;
  onZoom: (span: Span) => void;
}

function PaneOf({ pane, onUnit, sets, span, interval, height, isNamed, onZoom }: PaneOfProps) {
  const { zone } = useSite();
  const own = useMemo(() => pane.map((signal) => sets.get(signal.signal)), [pane, sets]);
  const data = useMemo(() => columns(own, interval), [own, interval]);
  const told = pane.map((signal, i) => story(signal, own[i], zone, span.to)).join(' ');
  return (
    <>
      <Pane
        pane={pane}
        columns={data}
        span={span}
        zone={zone}
        height={height}
        isNamed={isNamed}
        onZoom={onZoom}
        summary={told}
      />
      <Stack
        direction="row"
        spacing={2}
        sx={{ mb: 2, alignItems: 'baseline', justifyContent: 'space-between' }}
      >
        <Typography data-story>{told}</Typography>
        <UnitChoice pane={pane} onUnit={onUnit} />
      </Stack>
    </>
  );
}

/** In which unit a pane is looked at, where there are several for what it shows. */
function UnitChoice({ pane, onUnit }: Pick<PaneOfProps, 'pane' | 'onUnit'>) {
  const { own, unit } = pane[0] ?? {};
  const choices = unitChoices(own);
  if (own === undefined || choices.length === 0) return null;
  return (
    <TextField
      select
      size="small"
      variant="standard"
      value={unit}
      onChange={(event) => onUnit(own, event.target.value)}
      slotProps={{ select: { native: true }, htmlInput: { 'aria-label': `Unit of ${axisTitle(pane)}` } }}
      sx={{ minWidth: 72, flexShrink: 0 }}
    >
      {choices.map(({ code, symbol }) => (
        <option key={code} value={code}>
          {symbol}
        </option>
      ))}
    </TextField>
  );
}

interface ControlsProps {
  shown: Shown;
  span: Span;
  zone: string;
  onShow: (shown: Shown) => void;
}

function SpanControls({ shown, span, zone, onShow }: ControlsProps) {
  const length = span.to - span.from;
  const move = (share: number) => {
    const to = Math.min(span.to + share * length, serviceNow());
    onShow({ fixed: { from: to - length, to } });
  };
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
            sx={{ textTransform: 'none', px: 1.25 }}
          >
            {label}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <Button size="small" onClick={() => move(-0.5)}>
        Earlier
      </Button>
      <Button size="small" onClick={() => move(0.5)} disabled={!shown.fixed}>
        Later
      </Button>
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
  );
}

/** A time of the site, to be seen and changed with the keyboard. */
function LocalTime({
  label,
  at,
  zone,
  onChange,
}: {
  label: string;
  at: number;
  zone: string;
  onChange: (at: number) => void;
}) {
  // While it is being typed the text is the typist's; else it follows the chart.
  const [typed, setTyped] = useState<string | null>(null);
  const entered = typed === null ? undefined : parseLocal(typed, zone);
  const finish = () => {
    if (entered !== undefined) onChange(entered);
    setTyped(null);
  };
  return (
    <TextField
      label={label}
      value={typed ?? dateTime(at, zone).slice(0, 16)}
      error={typed !== null && entered === undefined}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => event.key === 'Enter' && finish()}
      slotProps={{ htmlInput: { title: 'Date and time at the site, such as 2026-05-01 14:02' } }}
      sx={{ width: 172 }}
    />
  );
}
