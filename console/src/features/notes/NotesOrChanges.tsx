import { May } from '../../components/may';
import { PageTabs } from '../../components/PageTabs';

const PAGES = [
  { path: 'notes', label: 'Notes' },
  { path: 'notes/changes', label: 'Changes' },
];

/** What people wrote, or what they changed. */
export function NotesOrChanges() {
  return (
    <May right="record">
      <PageTabs label="Notes or changes" pages={PAGES} />
    </May>
  );
}
