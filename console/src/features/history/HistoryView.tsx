import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useCallback, useRef, useState, type ReactNode } from 'react';
import { marks as marksOf, type Span } from '../../api/pastQueries';
import type { Mark } from '../../api/schema';
import { useSite } from '../../components/siteContext';
import { saveFile } from '../../format/saveFile';
import { draftOf, NoteDialog, type NoteDraft, type Topic } from '../notes/NoteDialog';
import { OriginPanel, type Picked } from '../origin/OriginPanel';
import { isCrowded } from '../../chart/arrange';
import { Chart } from '../../chart/Chart';
import { ChartTable } from '../../chart/ChartTable';
import { ChartTools } from '../../chart/ChartTools';
import { fullName, keyOf, type Drawn } from '../../chart/drawn';
import { MarksLane } from '../../chart/MarksLane';
import { pictureOf } from '../../chart/savePicture';
import { SpanRuler } from '../../chart/SpanRuler';
import { SpanControls } from '../../chart/SpanControls';
import { useDoubts } from '../../chart/useDoubts';
import { useEarlier } from '../../chart/useEarlier';
import { useHistory, type History } from '../../chart/useHistory';
import { useLook } from '../../chart/useLook';
import { useSame } from '../../chart/useSame';
import { useStays } from '../../chart/useStays';
import { useSteady } from '../../chart/useSteady';
import type { useView } from '../../chart/useView';
import { isDrawn } from '../../format/number';
import { dateTime } from '../../format/time';
import { BESIDE_HEAD, BesideView, DifferenceTable } from './BesideView';
import { useBackdrop } from './useBackdrop';
import { useGreys, useWaveforms } from './useGreys';
import { TextLanes } from '../../chart/TextLanes';

// What is opened now and then is loaded then.
const TakeAwayChart = lazy(() => import('./TakeAwayChart'));
const ListenDialog = lazy(() => import('../listen/ListenDialog'));
const BurstsPanel = lazy(() => import('../bursts/BurstsPanel'));

interface Props {
  signals: Drawn[];
  view: ReturnType<typeof useView>;
  /** What stands beside the chart, where there is room. */
  beside?: (history: History) => ReactNode;
}

const NOTHING: Mark[] = [];
const NO_LINES: Drawn[] = [];

/** The history of some signals, with all that can be seen of it and done with it. */
export function HistoryView({ signals, view, beside }: Props) {
  const site = useSite();
  const { shown, onShow, onZoom, onUnit } = view;
  const { look, onLook } = useLook();
  const [draft, setDraft] = useState<NoteDraft>();
  const [isTable, setTable] = useState(false);
  const [picked, setPicked] = useState<Picked>();
  const [isBursts, setBursts] = useState(false);
  const [taken, setTaken] = useState<Span>();
  const [isHeard, setHeard] = useState(false);
  const chart = useRef<HTMLDivElement>(null);
  const onPick = useCallback((key: string, at: number) => setPicked({ key, at }), []);
  const zone = look.zone ?? site.zone;
  const lines = useSame(signals.filter(isDrawn));
  const texts = useSame(signals.filter(({ type }) => type === 'text'));
  const history = useHistory(site.code, lines, shown);
  const { span, asked } = history;
  const length = span.to - span.from;
  const other = look.beside === undefined ? undefined : { from: look.beside, to: look.beside + length };
  const second = useHistory(site.code, other ? lines : NO_LINES, { fixed: other ?? span });
  const earlier = useEarlier(site.code, lines, span, look.under, zone);
  const doubts = useDoubts(site.code, lines, asked, look.doubts);
  const stays = useStays(site.code, texts, asked, 'value');
  const waveforms = useWaveforms(lines, history.sets);
  const greys = useGreys(site.code, lines, waveforms, asked, look.doubts);
  const keys = useSame(signals.map(keyOf));
  const marks = useQuery(marksOf(site.code, keys, asked)).data;
  const backdrop = useBackdrop(span, zone, look.nights ? site.position : undefined, marks?.marks ?? NOTHING);
  const write = useSteady(() =>
    setDraft({
      about: '',
      text: '',
      from: span.to,
      ...(shown.fixed ? { from: span.from, to: span.to } : {}),
    }),
  );
  const askOrigin = useSteady(() => signals[0] && onPick(keyOf(signals[0]), span.to));
  const showBeside = useSteady(() => onLook({ beside: other ? undefined : span.from - length }));
  const takeAway = useSteady(() => setTaken(span));
  const savePicture = async () => {
    const picture = chart.current && (await pictureOf(chart.current));
    if (picture) saveFile(`${site.code}-chart.png`, 'image/png', picture);
  };
  return (
    <>
      {lines[0] && <SpanRuler site={site.code} signal={lines[0]} span={span} zone={zone} onShow={onZoom} />}
      <SpanControls shown={shown} span={span} zone={zone} signals={signals} onShow={onShow} />
      <ChartTools look={look} zone={site.zone} hasPlace={site.position !== undefined} onLook={onLook}>
        <Button size="small" onClick={askOrigin}>
          Origin of values
        </Button>
        {(waveforms.length > 0 || isBursts) && (
          <Button size="small" onClick={() => setBursts((old) => !old)} aria-expanded={isBursts}>
            Bursts
          </Button>
        )}
        <Button size="small" aria-pressed={other !== undefined} onClick={showBeside}>
          Side by side
        </Button>
        <Button size="small" onClick={write}>
          Write a note
        </Button>
        <Button size="small" onClick={takeAway}>
          Take away
        </Button>
      </ChartTools>
      {look.panes === 'unit' && isCrowded(signals) && (
        <Stack direction="row" spacing={1} sx={{ alignItems: 'center', mb: 1 }}>
          <Typography color="text.secondary">More than five signals share a unit.</Typography>
          <Button size="small" onClick={() => onLook({ panes: 'each' })}>
            Show each by itself
          </Button>
        </Stack>
      )}
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: {
            xs: 'minmax(0, 1fr)',
            lg: beside || picked || isBursts ? 'minmax(0, 1fr) 320px' : 'minmax(0, 1fr)',
          },
        }}
      >
        <Box
          ref={chart}
          sx={{
            minWidth: 0,
            display: 'grid',
            gap: 3,
            alignItems: 'start',
            gridTemplateColumns: {
              xs: 'minmax(0, 1fr)',
              md: other ? 'repeat(2, minmax(0, 1fr))' : undefined,
            },
          }}
        >
          <Box sx={{ minWidth: 0 }}>
            {other && (
              <Typography
                sx={{ height: BESIDE_HEAD, display: 'flex', alignItems: 'center', fontWeight: 650 }}
              >
                {dateTime(span.from, zone)} to {dateTime(span.to, zone)}
              </Typography>
            )}
            <Chart
              signals={lines}
              history={history}
              earlier={earlier}
              panes={look.panes}
              zone={zone}
              backdrop={backdrop}
              doubts={doubts}
              greys={greys}
              alongside={other && second.sets}
              onZoom={onZoom}
              onUnit={onUnit}
              onPick={onPick}
              below={(sides) => (
                <>
                  <TextLanes signals={texts} stays={stays} span={span} zone={zone} {...sides} />
                  <MarksLane
                    marks={marks?.marks ?? NOTHING}
                    isCut={marks?.more ?? false}
                    span={span}
                    zone={zone}
                    onChange={(mark) => setDraft(draftOf({ ...mark, id: mark.id ?? 0 }))}
                    {...sides}
                  />
                </>
              )}
            />
          </Box>
          {other && (
            <BesideView
              signals={lines}
              history={second}
              panes={look.panes}
              zone={zone}
              hasNights={look.nights}
              alongside={history.sets}
              onBegin={(from) => onLook({ beside: from })}
              onZoom={onZoom}
              onUnit={onUnit}
              onPick={onPick}
              onClose={() => onLook({ beside: undefined })}
            />
          )}
        </Box>
        {picked ? (
          <OriginPanel
            picked={picked}
            signals={signals}
            zone={zone}
            onPick={setPicked}
            onClose={() => setPicked(undefined)}
          />
        ) : isBursts ? (
          <Suspense>
            <BurstsPanel
              signals={waveforms}
              span={span}
              zone={zone}
              onZoom={(fixed) => onShow({ fixed })}
              onClose={() => setBursts(false)}
            />
          </Suspense>
        ) : (
          beside?.(history)
        )}
      </Box>
      {other && <DifferenceTable signals={lines} first={history} second={second} zone={zone} />}
      <Button size="small" onClick={() => setTable((old) => !old)} aria-expanded={isTable} sx={{ mb: 1 }}>
        {isTable ? 'Hide the table' : 'Show as table'}
      </Button>
      <Button size="small" onClick={() => setHeard(true)} disabled={lines.length === 0} sx={{ mb: 1, ml: 1 }}>
        Listen
      </Button>
      {isTable && <ChartTable signals={lines} sets={history.sets} span={span} zone={zone} />}
      <Suspense>
        {taken && (
          <TakeAwayChart
            signals={signals}
            shown={{ signals: lines, panes: look.panes, history, earlier, backdrop, doubts, greys, zone }}
            span={taken}
            onPicture={() => void savePicture()}
            onClose={() => setTaken(undefined)}
          />
        )}
        {isHeard && (
          <ListenDialog
            signals={lines}
            sets={history.sets}
            span={span}
            zone={zone}
            onClose={() => setHeard(false)}
          />
        )}
      </Suspense>
      {draft && (
        <NoteDialog
          site={site.code}
          zone={zone}
          topics={topicsOf(signals)}
          draft={draft}
          onClose={() => setDraft(undefined)}
        />
      )}
    </>
  );
}

/** What a note beside these signals can be about. */
function topicsOf(signals: Drawn[]): Topic[] {
  const devices = new Map(signals.map(({ device, of }) => [device, of ?? device]));
  return [
    { about: '', name: 'The whole site' },
    ...[...devices].map(([about, name]) => ({ about, name })),
    ...signals.map((signal) => ({ about: keyOf(signal), name: fullName(signal) })),
  ];
}
