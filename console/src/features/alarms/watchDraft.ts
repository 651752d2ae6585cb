import type { Severity, Watch, WatchCondition as When } from '../../api/schema';
import { readNumber } from '../../format/entry';

/** Conditions that can be made in the form; the others are made with the command line or the API. */
export const CONDITIONS: {
  is: When['is'];
  label: string;
  about: 'number' | 'flag' | 'text' | 'any' | 'device';
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
];

/** A watch while it is written: numbers as they are typed. */
export interface WatchDraft {
  code?: string;
  name: string;
  /** A signal as `tower/level`, a device, or nothing for every device. */
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
      return { is };
    default:
      return undefined;
  }
}

/** The watch that a draft says; undefined as long as something is missing. */
export function watchOf(draft: WatchDraft): Watch | undefined {
  const when = whenOf(draft);
  const [device, signal] = draft.on.split('/');
  const isOfSignal = CONDITIONS.find(({ is }) => is === draft.is)?.about !== 'device';
  if (!when || draft.name.trim() === '' || (isOfSignal && !signal)) return undefined;
  const minutes = (text: string) => (typed(text) ?? 0) * 60;
  return {
    name: draft.name.trim(),
    on: { ...(device && { device }), ...(isOfSignal && signal && { signal }) },
    when,
    deadband: typed(draft.deadband) ?? 0,
    delay_on_s: minutes(draft.delayOn),
    delay_off_s: minutes(draft.delayOff),
    severity: draft.severity,
    advice: draft.advice.trim(),
  };
}

const text = (number: number | undefined): string =>
  number === undefined || number === 0 ? '' : String(number);

/** The draft of a watch there is; undefined if the form cannot show all of it. */
export function draftOf(code: string, watch: Watch): WatchDraft | undefined {
  const { when, on = {} } = watch;
  const isKnown = CONDITIONS.some(({ is }) => is === when.is);
  const isPlain = (on.except ?? []).length === 0 && !on.kind && (watch.hours ?? []).length === 0;
  const isOfOne = on.device !== undefined && on.device !== null;
  if (!isKnown || !isPlain || (!isOfOne && on.signal) || watch.least_quality === 'suspect') return undefined;
  // The form has limits in the signal's own unit.
  if ('unit' in when && when.unit) return undefined;
  if (when.is === 'flag' && !when.value) return undefined;
  if (when.is === 'steady' && when.within) return undefined;
  if (when.is === 'changing' && when.direction && when.direction !== 'either') return undefined;
  const draft: WatchDraft = {
    ...NEW_WATCH,
    code,
    name: watch.name,
    on: [on.device, on.signal].filter(Boolean).join('/'),
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
