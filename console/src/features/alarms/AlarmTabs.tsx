import { useMay } from '../../components/may';
import { PageTabs } from '../../components/PageTabs';

const PAGES = [
  { path: 'alarms', label: 'Going on' },
  { path: 'alarms/history', label: 'History' },
  { path: 'alarms/figures', label: 'Figures' },
  { path: 'alarms/watches', label: 'Watches' },
];

/** What only those see who answer alarms: it names people's addresses. */
const FOR_OPERATORS = [
  { path: 'alarms/rosters', label: 'Rosters', hasPages: true },
  { path: 'alarms/callouts', label: 'Callouts', hasPages: true },
];

/** The pages about alarms. */
export function AlarmTabs() {
  const may = useMay('answer');
  return <PageTabs label="Alarms" pages={may ? [...PAGES, ...FOR_OPERATORS] : PAGES} />;
}
