import type { Span } from '../api/pastQueries';
import type { Mark, MarkKind } from '../api/schema';

/** Marks that stand so close together, as a share of the width, that they are one. */
const TOGETHER = 0.022;

/** Marks at about one place of the lane, and over which part of it they stretch. */
export interface Placed {
  /** From 0 at the left to 1 at the right. */
  at: number;
  marks: Mark[];
}

/** A mark that lasts, as parts of the width. */
export interface Stretch {
  from: number;
  to: number;
  mark: Mark;
}

const WORDS: Record<MarkKind, [one: string, many: string]> = {
  note: ['note', 'notes'],
  'hand-reading': ['reading by hand', 'readings by hand'],
  command: ['command', 'commands'],
  trial: ['trial begins', 'trials begin'],
  'went-live': ['went live', 'went live'],
  alarm: ['alarm', 'alarms'],
};

/** What goes on for as long as it has no end. */
const lasts = ({ kind }: Mark): boolean => kind === 'trial' || kind === 'alarm';

/** Marks of a time, those that would lie upon each other together. */
export function placed(marks: Mark[], span: Span): Placed[] {
  const places: Placed[] = [];
  for (const mark of marks.toSorted((a, b) => Date.parse(a.from) - Date.parse(b.from))) {
    const at = shareOf(Date.parse(mark.from), span);
    const end = mark.to === undefined ? at : shareOf(Date.parse(mark.to), span);
    const isOpen = lasts(mark) && mark.to === undefined && at < 0;
    if (at > 1 || end < 0) if (!isOpen) continue;
    const shown = Math.min(1, Math.max(0, at));
    const last = places.at(-1);
    if (last && shown - last.at < TOGETHER) last.marks.push(mark);
    else places.push({ at: shown, marks: [mark] });
  }
  return places;
}

/** Marks that last, within a time. */
export function stretches(marks: Mark[], span: Span): Stretch[] {
  return marks.flatMap((mark) => {
    if (mark.to === undefined && !lasts(mark)) return [];
    const from = Math.max(0, shareOf(Date.parse(mark.from), span));
    const to = mark.to === undefined ? 1 : Math.min(1, shareOf(Date.parse(mark.to), span));
    return to > from ? [{ from, to, mark }] : [];
  });
}

/** Several marks in words: `2 notes, 1 command`. */
export function inWords(marks: Mark[]): string {
  const counts = new Map<MarkKind, number>();
  for (const { kind } of marks) counts.set(kind, (counts.get(kind) ?? 0) + 1);
  return [...counts].map(([kind, count]) => `${count} ${WORDS[kind][count === 1 ? 0 : 1]}`).join(', ');
}

/** What a mark says, in one line. */
export function markText({ kind, text, about }: Mark): string {
  const of = about === '' ? '' : `${about}: `;
  if (kind === 'hand-reading') return `${of}reading by hand${text === '' ? '' : `, ${text}`}`;
  return `${of}${text}`;
}

const shareOf = (at: number, { from, to }: Span): number => (at - from) / (to - from);
