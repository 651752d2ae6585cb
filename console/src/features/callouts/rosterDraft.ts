import type { Roster, RosterAbsence, RosterHoliday, RosterTurn, Severity } from '../../api/schema';

/** A roster as it is written into a form. */
export interface RosterDraft {
  name: string;
  least: Severity;
  order: string[];
  also: string[];
  devices: string[];
  passOnMin: string;
  rounds: string;
  quietFrom: string;
  quietTo: string;
  saysEnd: boolean;
  text: string;
  turns: RosterTurn[];
  holidays: RosterHoliday[];
  absences: RosterAbsence[];
}

/** A roster that is begun. */
export const NEW_ROSTER: RosterDraft = {
  name: '',
  least: 'medium',
  order: [],
  also: [],
  devices: [],
  passOnMin: '10',
  rounds: '3',
  quietFrom: '',
  quietTo: '',
  saysEnd: true,
  text: '',
  turns: [],
  holidays: [],
  absences: [],
};

/** A roster that is there, to be changed. */
export function draftOf(roster: Roster): RosterDraft {
  const quiet = roster.quiet?.[0];
  return {
    name: roster.name,
    least: roster.least ?? 'medium',
    order: roster.order,
    also: roster.also ?? [],
    devices: roster.devices ?? [],
    passOnMin: String(roster.pass_on_min ?? 10),
    rounds: String(roster.rounds ?? 3),
    quietFrom: quiet?.from ?? '',
    quietTo: quiet?.to ?? '',
    saysEnd: roster.says_end ?? true,
    text: roster.text ?? '',
    turns: roster.turns ?? [],
    holidays: roster.holidays ?? [],
    absences: roster.absences ?? [],
  };
}

/** What the form says; nothing, if it is not complete. `before` keeps what the form does not show. */
export function rosterOf(draft: RosterDraft, before?: Roster): Roster | undefined {
  const [minutes, rounds] = [Number(draft.passOnMin), Number(draft.rounds)];
  const hasQuiet = draft.quietFrom !== '' || draft.quietTo !== '';
  const isComplete =
    draft.name.trim() !== '' &&
    draft.order.length + draft.also.length > 0 &&
    minutes >= 1 &&
    Number.isInteger(rounds) &&
    rounds >= 1 &&
    (!hasQuiet || (draft.quietFrom !== '' && draft.quietTo !== '')) &&
    draft.holidays.every(({ from, to }) => from !== '' && to !== '') &&
    draft.absences.every(({ who, from, to }) => who !== '' && from !== '' && to !== '');
  if (!isComplete) return undefined;
  const others = before?.quiet?.slice(1) ?? [];
  const days = before?.quiet?.[0]?.days;
  const first = { from: draft.quietFrom, to: draft.quietTo, ...(days && { days }) };
  return {
    name: draft.name.trim(),
    least: draft.least,
    order: draft.order,
    also: draft.also,
    devices: draft.devices,
    pass_on_min: minutes,
    rounds,
    quiet: hasQuiet ? [first, ...others] : [],
    says_end: draft.saysEnd,
    text: draft.text,
    turns: draft.turns,
    holidays: draft.holidays,
    absences: draft.absences,
  };
}
