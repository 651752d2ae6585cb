import { expect, test } from 'vitest';
import type { Alarm, Watch } from '../../api/schema';
import { draftOf, NEW_WATCH, watchOf, type WatchDraft } from './watchDraft';
import { inOrder, onInWords, placeOf, whenInWords } from './words';

const alarm = (id: number, over: Partial<Alarm>): Alarm => ({
  id,
  watch: 'w',
  name: 'W',
  severity: 'medium',
  state: 'unacknowledged',
  raised_at: '2026-05-01T12:00:00Z',
  recorded_at: '2026-05-01T12:00:00Z',
  is_silent: false,
  is_found: false,
  ...over,
});

test('what is waited for comes first, then the worst, then the first raised', () => {
  const alarms = [
    alarm(1, { state: 'acknowledged', severity: 'urgent' }),
    alarm(2, { severity: 'low' }),
    alarm(3, { severity: 'high', raised_at: '2026-05-01T12:05:00Z' }),
    alarm(4, { severity: 'high' }),
    alarm(5, { state: 'returned', severity: 'urgent' }),
  ];
  expect(inOrder(alarms).map(({ id }) => id)).toEqual([5, 4, 3, 2, 1]);
});

test('places are named by what they are', () => {
  expect(placeOf(alarm(1, {}))).toBe('the service');
  expect(placeOf(alarm(1, { device: 'tower' }))).toBe('tower');
  expect(placeOf(alarm(1, { device: 'tower', signal: 'level' }))).toBe('tower/level');
});

test.each<[Watch['when'], string]>([
  [{ is: 'above', limit: 8, unit: 'Cel' }, 'above 8 Cel'],
  [{ is: 'outside', low: 2, high: 8 }, 'outside 2 to 8'],
  [
    { is: 'changing', by: 0.2, within_s: 3600, direction: 'falls', unit: 'm' },
    'falls by more than 0.2 m within 1 h',
  ],
  [{ is: 'steady', for_s: 7200 }, 'does not change for 2 h'],
  [{ is: 'losses', above: 0.2 }, "has lost more than 20 % of a day's messages"],
])('%j is told in words', (when, words) => {
  expect(whenInWords(when)).toBe(words);
});

test.each([
  [{ device: 'tower', signal: 'level' }, 'tower/level'],
  [{ signal: 'temp', except: ['shed'] }, 'temp of every device, but not shed'],
  [{ kind: 'radio', signal: 'temp' }, 'temp of every device of kind radio'],
  [{}, 'every device'],
])('%j is told in words', (on, words) => {
  expect(onInWords({ name: 'W', on, when: { is: 'silent' } })).toBe(words);
});

const filled: WatchDraft = {
  ...NEW_WATCH,
  name: ' Fridge is warm ',
  on: 'fridge/temp',
  first: '8,5',
  delayOn: '10',
};

test('a draft is a watch once nothing is missing', () => {
  expect(watchOf(filled)).toEqual({
    name: 'Fridge is warm',
    on: { device: 'fridge', signal: 'temp' },
    when: { is: 'above', limit: 8.5 },
    deadband: 0,
    delay_on_s: 600,
    delay_off_s: 0,
    severity: 'medium',
    advice: '',
  });
  for (const missing of [{ name: ' ' }, { on: '' }, { on: 'fridge' }, { first: '' }, { first: 'warm' }]) {
    expect(watchOf({ ...filled, ...missing }), JSON.stringify(missing)).toBeUndefined();
  }
  const silent = watchOf({ ...filled, is: 'silent', on: '' });
  expect(silent).toMatchObject({ on: {}, when: { is: 'silent' } });
});

test.each<Partial<WatchDraft>>([
  {},
  { is: 'outside', first: '2', second: '8', deadband: '0.5' },
  { is: 'changing', first: '2', minutes: '30' },
  { is: 'steady', minutes: '120' },
  { is: 'text', text: 'FAULT' },
  { is: 'losses', on: 'shed', first: '20' },
  { is: 'silent', on: '' },
  { is: 'flag' },
])('a watch comes back into the form as it was: %j', (over) => {
  const draft = { ...filled, name: 'Fridge is warm', first: '8.5', ...over };
  const watch = watchOf(draft);
  expect(watch).toBeDefined();
  const again = draftOf('w', watch as Watch);
  expect(again && watchOf(again)).toEqual(watch);
});

test.each<Partial<Watch>>([
  { when: { is: 'above', limit: 8, unit: 'Cel' } },
  { when: { is: 'steady', for_s: 60, within: 0.1 } },
  { when: { is: 'changing', by: 2, within_s: 60, direction: 'falls' } },
  { on: { kind: 'radio', signal: 'temp' } },
  { on: { signal: 'temp', except: ['x'] } },
  { hours: [{ from: '08:00', to: '18:00' }] },
  { least_quality: 'suspect' },
])('what the form does not show stays as it is: %j', (over) => {
  const watch = { ...(watchOf(filled) as Watch), ...over };
  const draft = draftOf('w', watch);
  expect(draft && watchOf({ ...draft, advice: 'Look' })).toEqual({ ...watch, advice: 'Look' });
});

test.each<Watch['when']>([{ is: 'clock' }, { is: 'flag', value: false }, { is: 'disk', days: 7 }])(
  'what the form cannot show is not changed in it: %j',
  (when) => {
    expect(draftOf('w', { ...(watchOf(filled) as Watch), when })).toBeUndefined();
  },
);

test('another scope or condition takes the place of what was kept', () => {
  const of = { ...(watchOf(filled) as Watch), on: { kind: 'radio', signal: 'temp' } };
  const draft = draftOf('w', of) as WatchDraft;
  expect(watchOf({ ...draft, on: 'shed/temp' })?.on).toEqual({ device: 'shed', signal: 'temp' });
  expect(watchOf({ ...draft, is: 'silent' })).toMatchObject({ on: {}, when: { is: 'silent' } });
});
