import { useSearchParams } from 'react-router';
import { PageTabs } from './PageTabs';

/** What goes along from page to page: which signals, and which time. */
const KEPT = ['signals', 'span', 'from', 'to'];

const PAGES = [
  { path: 'charts', label: 'Charts' },
  { path: 'figures', label: 'Figures' },
  { path: 'coverage', label: 'Coverage' },
  { path: 'compare', label: 'Compare' },
  { path: 'notes', label: 'Notes and changes', hasPages: true },
];

/** The pages on which the past is looked at. */
export function LookTabs() {
  const [params] = useSearchParams();
  const kept = new URLSearchParams([...params].filter(([name]) => KEPT.includes(name)));
  return (
    <PageTabs label="Ways to look" pages={PAGES} search={kept.size === 0 ? '' : `?${kept.toString()}`} />
  );
}
