import type { AlarmDay, AlarmMeasure } from '../../api/schema';

/** What each figure is called, and what helps if it is too high. */
export const MEASURES: Record<AlarmMeasure, { label: string; help: string; isShare: boolean }> = {
  per_day: {
    label: 'Alarms a day and person',
    help: 'Take watches out that nobody acts on',
    isShare: false,
  },
  most_in_ten_minutes: {
    label: 'Most within ten minutes',
    help: 'Watch the cause, and leave out what follows from it',
    isShare: false,
  },
  flood: {
    label: 'Time in a flood',
    help: 'Watch the cause, and leave out what follows from it',
    isShare: true,
  },
  stale: {
    label: 'Stood for longer than a day',
    help: 'Mend it, shelve it, or widen the limit',
    isShare: false,
  },
  chattering: { label: 'Places that chatter', help: 'Give them a deadband or a delay', isShare: false },
  top_ten: {
    label: 'Share of the ten most frequent places',
    help: 'Begin with these: most of the work is there',
    isShare: true,
  },
  urgent: {
    label: 'Share of high and urgent ones',
    help: 'Make milder what can wait',
    isShare: true,
  },
};

/** A figure as it is read. */
export function figureInWords(measure: AlarmMeasure, value: number): string {
  if (MEASURES[measure].isShare) return `${(value * 100).toFixed(1)} %`;
  return Number.isInteger(value) ? String(value) : value.toFixed(1);
}

/** All days from one to another, those without an alarm too. */
export function everyDay(days: AlarmDay[], from: string, to: string): AlarmDay[] {
  const counts = new Map(days.map(({ day, count }) => [day, count]));
  const all: AlarmDay[] = [];
  // At noon a day is the same one in UTC, whatever its hours are.
  for (let at = Date.parse(`${from}T12:00:00Z`); at <= Date.parse(`${to}T12:00:00Z`); at += 86_400_000) {
    const day = new Date(at).toISOString().slice(0, 10);
    all.push({ day, count: counts.get(day) ?? 0 });
  }
  return all;
}
