import type { Span } from '../../api/pastQueries';
import type { Drawn } from '../../chart/drawn';
import { picturesOf, type Shown } from '../../chart/picturesOf';
import { useSite } from '../../components/siteContext';
import { TakeAwayDialog } from '../export/TakeAwayDialog';

interface Props {
  signals: Drawn[];
  /** What the chart shows. */
  shown: Shown;
  span: Span;
  onPicture: () => void;
  onClose: () => void;
}

/** Takes the readings of a chart away, or the chart itself. */
export default function TakeAwayChart({ shown, ...rest }: Props) {
  const { code } = useSite();
  return <TakeAwayDialog site={code} zone={shown.zone} panes={picturesOf(shown)} {...rest} />;
}
