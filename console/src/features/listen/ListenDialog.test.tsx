import { screen, waitFor } from '@testing-library/react';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { choose, isDisabled, press, show } from '../../testing-dom';
import { aSignal } from '../../testing';
import ListenDialog from './ListenDialog';

const FROM = Date.parse('2026-05-01T08:00:00Z');
const SPAN = { from: FROM, to: FROM + 100_000 };
const piece = (second: number, mean: number) => ({
  start_ms: FROM + second * 1000,
  mean,
  min: mean,
  max: mean,
  count: 1,
});
const SETS = new Map([['tower/level', { width_s: 10, pieces: [piece(0, 1), piece(10, 3), piece(20, 2)] }]]);
const signals = ['level', 'air'].map((signal) => ({
  ...aSignal({ signal, name: signal, symbol: 'm', decimals: 1 }),
  device: 'tower',
  interval_s: 10,
}));

const tones: number[] = [];
const closed = vi.fn();
beforeEach(() => {
  tones.length = 0;
  closed.mockReset();
  const gain = { setValueAtTime: vi.fn(), setTargetAtTime: vi.fn() };
  const node = { connect: () => node, gain };
  vi.stubGlobal(
    'AudioContext',
    class {
      currentTime = 0;
      destination = {};
      close = () => Promise.resolve(closed());
      createGain = () => node;
      createOscillator = () => ({
        connect: () => node,
        frequency: { setTargetAtTime: (hz: number) => tones.push(Math.round(hz)) },
        start: vi.fn(),
        stop: vi.fn(),
      });
    },
  );
});
afterEach(() => vi.unstubAllGlobals());

test('values become tones, and the extremes are said as they come', async () => {
  show(<ListenDialog signals={signals} sets={SETS} span={SPAN} zone="UTC" onClose={vi.fn()} />);
  press('Listen');
  expect(tones).toEqual([220, 880, 440]);
  await waitFor(() =>
    expect(screen.getByRole('status').textContent).toBe('Highest: 3.0\u202fm at 2026-05-01 08:00:10'),
  );
  press('Stop');
  expect(closed).toHaveBeenCalled();
  expect(screen.getByRole('button', { name: 'Listen' })).toBeTruthy();
});

test('a signal without readings cannot be heard', async () => {
  show(<ListenDialog signals={signals} sets={SETS} span={SPAN} zone="UTC" onClose={vi.fn()} />);
  await choose('Signal', 'air');
  expect(screen.getByText('air: no readings in this time.')).toBeTruthy();
  expect(isDisabled('Listen')).toBe(true);
});
