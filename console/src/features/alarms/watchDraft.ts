import type { Severity, Watch, WatchCondition as When } from '../../api/schema';
import { readNumber } from '../../format/entry';

/** Conditions that can be made in the form; the others are made with the command line or the API. */
export const CONDITIONS: {
  is: When['is'];
  label: string;
  about: 'number' | 'flag' | 'text' | 'any' | 'device' | 'nothing';
}[] = [
  { is: 'above', label: 'is above a limit', about: 'number' },
  { is: 'below', label: 'is below a limit', about: 'number' },
  { is: 'outside', label: 'is outside a band', about: 'number' },
  { is: 'changing', label: 'changes too fast', about: 'number' },
  { is: 'steady', label: 'does not change', about: 'any' },
  { is: 'flag', label: 'is raised', about: 'flag' },
  { is: 'text', label: 'is a certain text', about: 'text' },
  { is: 'doubtful', label: 'has readings that are not good', about: 'any' },
  { is: 'late', label: 'is late or silent', about: 'device' },
  { is: 'silent', label: 'is silent', about: 'device' },
  { is: 'losses', label: 'loses messages', about: 'device' },
  { is: 'pressed', label: 'has a button that somebody presses', about: 'nothing' },
];

/** A watch while it is written: numbers as they are typed. */
export interface WatchDraft {
  code?: string;
  /** The watch as it is: what the form does not show stays. */
  kept?: Watch;
  name: string;
  /** A signal as `tower/level`, a device, or nothing for every device or what was kept. */
  on: string;
  is: When['is'];
  first: string;
  second: string;
  /** Minutes, for what looks at a time. */
  minutes: string;
  deadband: string;
  delayOn: string;
  delayOff: string;
  severity: Severity;
  text: string;
  advice: string;
}

export const NEW_WATCH: WatchDraft = {
  name: '',
  on: '',
  is: 'above',
  first: '',
  second: '',
  minutes: '60',
  deadband: '',
  delayOn: '',
  delayOff: '',
  severity: 'medium',
  text: '',
  advice: '',
};

/** A number as it was typed; undefined if there is none. */
function typed(text: string): number | undefined {
  const read = readNumber(text);
  return typeof read === 'number' ? read : undefined;
}

/** What a draft looks for; undefined as long as something is missing. */
function whenOf({ is, first, second, minutes, text }: WatchDraft): When | undefined {
  const [one, two, time] = [typed(first), typed(second), typed(minutes)];
  const seconds = time === undefined ? undefined : time * 60;
  switch (is) {
    case 'above':
    case 'below':
      return one === undefined ? undefined : { is, limit: one };
    case 'outside':
      return one === undefined || two === undefined ? undefined : { is, low: one, high: two };
    case 'changing':
      return one === undefined || seconds === undefined ? undefined : { is, by: one, within_s: seconds };
    case 'steady':
      return seconds === undefined ? undefined : { is, for_s: seconds };
    case 'flag':
      return { is, value: true };
    case 'text':
      return text === '' ? undefined : { is, equals: text };
    case 'losses':
      return one === undefined ? undefined : { is, above: one / 100 };
    case 'doubtful':
    case 'late':
    case 'silent':
    case 'pressed':
      return { is };
    default:
      return undefined;
  }
}

/** Whether limits can be proposed. */
export const canPropose = ({ is, on }: WatchDraft): boolean =>
  ['above', 'below', 'outside'].includes(is) && on.includes('/');

/** Limits where nearly all readings lay between two values. */
export function suggested({ is }: WatchDraft, low: number, high: number): Partial<WatchDraft> {
  const text = (value: number) => String(Number(value.toPrecision(4)));
  if (is === 'above') return { first: text(high) };
  return is === 'below' ? { first: text(low) } : { first: text(low), second: text(high) };
}

/** Whether the scope that was kept still stands: nobody has chosen another, and it suits. */
export const keepsScope = ({ kept, on, is }: WatchDraft): boolean =>
  kept !== undefined && on === '' && aboutOf(kept.when.is) === aboutOf(is);

/** What a condition is about. */
export const aboutOf = (is: When['is']) => CONDITIONS.find((one) => one.is === is)?.about ?? 'any';

/** The watch that a draft says; undefined as long as something is missing. */
export function watchOf(draft: WatchDraft): Watch | undefined {
  const { kept } = draft;
  const when = whenOf(draft);
  const [device, signal] = draft.on.split('/');
  const isOfSignal = !['device', 'nothing'].includes(aboutOf(draft.is));
  const isScopeKept = keepsScope(draft);
  if (!when || draft.name.trim() === '' || (isOfSignal && !signal && !isScopeKept)) return undefined;
  const minutes = (text: string) => (typed(text) ?? 0) * 60;
  const on = { ...(device && { device }), ...(isOfSignal && signal && { signal }) };
  return {
    ...kept,
    name: draft.name.trim(),
    on: isScopeKept ? (kept?.on ?? {}) : on,
    when: kept?.when.is === when.is ? { ...kept.when, ...when } : when,
    deadband: typed(draft.deadband) ?? 0,
    delay_on_s: minutes(draft.delayOn),
    delay_off_s: minutes(draft.delayOff),
    severity: draft.severity,
    advice: draft.advice.trim(),
  };
}

const text = (number: number | undefined): string =>
  number === undefined || number === 0 ? '' : String(number);

/** The draft of a watch there is; undefined if the form cannot show what it looks for. */
export function draftOf(code: string, watch: Watch): WatchDraft | undefined {
  const { when, on = {} } = watch;
  if (!CONDITIONS.some(({ is }) => is === when.is)) return undefined;
  if (when.is === 'flag' && !when.value) return undefined;
  const draft: WatchDraft = {
    ...NEW_WATCH,
    code,
    kept: watch,
    name: watch.name,
    // What is on more than one thing is kept as it is.
    on: on.device ? [on.device, on.signal].filter(Boolean).join('/') : '',
    is: when.is,
    deadband: text(watch.deadband),
    delayOn: text((watch.delay_on_s ?? 0) / 60),
    delayOff: text((watch.delay_off_s ?? 0) / 60),
    severity: watch.severity ?? 'medium',
    advice: watch.advice ?? '',
  };
  switch (when.is) {
    case 'above':
    case 'below':
      return { ...draft, first: String(when.limit) };
    case 'outside':
      return { ...draft, first: String(when.low), second: String(when.high) };
    case 'changing':
      return { ...draft, first: String(when.by), minutes: String(when.within_s / 60) };
    case 'steady':
      return { ...draft, minutes: String(when.for_s / 60) };
    case 'text':
      return { ...draft, text: when.equals };
    case 'losses':
      return { ...draft, first: String(when.above * 100) };
    default:
      return draft;
  }
}
