import { act, screen } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import type { LiveReading } from '../api/schema';
import { aSignal } from '../testing';
import { answering, show } from '../testing-dom';
import type { Shown } from './spans';
import type { Drawn } from './drawn';
import { useHistory } from './useHistory';

type Listener = (readings: LiveReading[], thinned: boolean) => void;
const stream = vi.hoisted(() => ({ listener: undefined as Listener | undefined }));
vi.mock('../api/LiveProvider', () => ({
  useLiveReadings: (listener: Listener) => {
    stream.listener = listener;
  },
}));

const NOW = Date.parse('2026-05-01T12:00:00Z');
const SUMMARY = '/sites/marlbeck/devices/tower/signals/level/summary';
const SET = {
  from: '2026-05-01T11:50:00Z',
  to: '2026-05-01T12:00:00Z',
  width_s: 2,
  buckets: [],
  last_at: '2026-05-01T12:00:00Z',
};
const LEVEL = { ...aSignal(), device: 'tower', interval_s: 30 };
const SHOWN: Shown = { id: '10m' };
const OWN: Drawn[] = [LEVEL];
const IN_FEET: Drawn[] = [{ ...LEVEL, asked: '[ft_i]' }];

beforeEach(() =>
  vi.useFakeTimers({
    now: NOW,
    toFake: ['Date', 'setTimeout', 'clearTimeout', 'setInterval', 'clearInterval'],
  }),
);
afterEach(() => vi.useRealTimers());

function History({ shown, signals = OWN }: { shown: Shown; signals?: Drawn[] }) {
  const { span, sets } = useHistory('marlbeck', signals, shown);
  const drawn =
    sets
      .get('tower/level')
      ?.pieces.map((piece) => piece.mean)
      .join() ?? 'unknown';
  return <p>{`${drawn} from ${new Date(span.from).toISOString().slice(11, 19)}`}</p>;
}

const pass = (ms: number) => act(() => vi.advanceTimersByTimeAsync(ms));
const tell = (after_s: number, value: number, thinned = false, device = 'tower') =>
  act(() => {
    const at = new Date(NOW + after_s * 1000).toISOString();
    stream.listener?.([{ device, signal: 'level', at, value }], thinned);
  });
const open = async (shown: Shown, signals = OWN) => {
  const asked = answering({ [`GET ${SUMMARY}`]: SET });
  show(<History shown={shown} signals={signals} />);
  await pass(10);
  return asked;
};

test('a chart up to now grows with the stream, and asks the service once', async () => {
  const asked = await open({ id: '10m' });
  expect(asked.map((one) => new URLSearchParams(one.path.split('?')[1]).get('to'))).toEqual([
    String(NOW / 1000),
  ]);
  for (const [after, value] of [
    [1, 4],
    [3, 5],
    [5, 6],
  ] as const) {
    await pass(2000);
    tell(after, value);
  }
  expect(screen.getByText('4,5,6 from 11:50:06')).toBeTruthy();
  await pass(60_000);
  expect(screen.getByText('4,5,6 from 11:51:06'), 'it moves on with the clock').toBeTruthy();
  await pass(700_000);
  expect(screen.getByText(/^from/), 'and lets go of what has left it').toBeTruthy();
  expect(asked.length).toBe(1);
});

test.each([
  ['a reading of before', () => tell(-30, 1), OWN],
  ['only the newest of much', () => tell(1, 1, true), OWN],
  ['a reading that is looked at in another unit', () => tell(1, 1), IN_FEET],
])('%s is asked for, not more often than every five seconds', async (_, come, signals) => {
  const asked = await open({ id: '10m' }, signals);
  come();
  come();
  await pass(4_900);
  expect(asked.length).toBe(1);
  await pass(200);
  expect(asked.length).toBe(2);
  await pass(60_000);
  expect(asked.length).toBe(2);
});

test.each<[Partial<Drawn>, string]>([
  [{}, '3'],
  [{ worked_out: true }, '1'],
  [{ asked: '[ft_i]' }, '1'],
])('a value of %o is told with as many decimals as came: %s', async (more, decimals) => {
  answering({ [`GET ${SUMMARY}`]: SET });
  const signals = [{ ...LEVEL, decimals: 1, ...more }];
  const Told = () => (
    <p>{`told with ${useHistory('marlbeck', signals, SHOWN).decimals(signals[0] as Drawn)}`}</p>
  );
  show(<Told />);
  await pass(10);
  tell(1, 2.125);
  await pass(1_000);
  expect(screen.getByText(`told with ${decimals}`)).toBeTruthy();
});

test('another device, or a time that is over, is left alone', async () => {
  const fixed = { from: NOW - 600_000, to: NOW };
  const asked = await open({ fixed });
  tell(1, 1);
  tell(1, 1, true, 'larder');
  await pass(60_000);
  expect(screen.getByText(' from 11:50:00', { normalizer: (text) => text })).toBeTruthy();
  expect(asked.length).toBe(1);
});
