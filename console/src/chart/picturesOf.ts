import type { Span } from '../api/pastQueries';
import { arrange, type Arrangement } from './arrange';
import type { PictureOfPane } from './ChartPicture';
import type { Drawn } from './drawn';
import { behindOf, linesOf, setsOf, storyOf, titleOf } from './lines';
import type { Backdrop } from './paneDraw';
import { panePicture } from './panePicture';
import { columns } from './series';
import type { Doubts } from './useDoubts';
import type { EarlierHistory } from './useEarlier';
import type { History } from './useHistory';

/** What a chart shows, and how. */
export interface Shown {
  signals: Drawn[];
  panes: Arrangement;
  history: Pick<History, 'span' | 'sets'>;
  earlier: EarlierHistory | undefined;
  backdrop: Pick<Backdrop, 'nights'>;
  doubts: Doubts;
  greys: Map<string, Span[]>;
  zone: string;
}

/** The panes of a chart as pictures, as they are on the page. */
export function picturesOf({
  signals,
  panes,
  history,
  earlier,
  backdrop,
  doubts,
  greys,
  zone,
}: Shown): PictureOfPane[] {
  const { span, sets } = history;
  return arrange(signals, panes, sets).map((pane) => {
    const lines = linesOf(pane, earlier?.words);
    const own = setsOf(lines, sets, earlier?.sets);
    const data = columns(
      own,
      lines.map(({ signal }) => signal.interval_s),
    );
    const behind = { nights: backdrop.nights, ...behindOf(lines, doubts, greys) };
    return {
      title: titleOf(lines),
      story: storyOf(lines, own, zone, span.to),
      picture: panePicture(lines, data, behind, span, zone),
    };
  });
}
