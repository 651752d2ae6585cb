import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { History } from '../../chart/useHistory';
import { aSignal } from '../../testing';
import { press, show, type } from '../../testing-dom';
import { BesideView, DifferenceTable } from './BesideView';

// A canvas cannot be drawn on here.
vi.mock('../../chart/Pane', () => ({ Pane: ({ summary }: { summary: string }) => <p>{summary}</p> }));

const HOUR = 3_600_000;
const FROM = Date.parse('2026-05-01T00:00:00Z');
const signals = ['level', 'air'].map((signal) => ({
  ...aSignal({ signal, name: signal, symbol: 'm', decimals: 2 }),
  device: 'tower',
  interval_s: 60,
}));
const piece = (mean: number) => ({ start_ms: FROM, mean, min: mean - 1, max: mean + 1, count: 2 });
const history = (from: number, means: Record<string, number>): History => ({
  span: { from, to: from + HOUR },
  moving: undefined,
  asked: { from, to: from + HOUR },
  sets: new Map(
    Object.entries(means).map(([key, mean]) => [`tower/${key}`, { width_s: 60, pieces: [piece(mean)] }]),
  ),
  decimals: () => 2,
  error: undefined,
  isPending: false,
});

test('both times stand in numbers, with what lies between their means', () => {
  const first = history(FROM, { level: 2, air: 9 });
  const second = history(FROM + 24 * HOUR, { level: 2.5 });
  show(<DifferenceTable signals={signals} first={first} second={second} zone="UTC" />);
  const rows = screen.getAllByRole('row').map((row) => [...row.children].map((cell) => cell.textContent));
  expect(rows).toEqual([
    ['Mean, from least to most', 'from 2026-05-01 00:00:00', 'from 2026-05-02 00:00:00', 'Second less first'],
    ['level', '2.00\u202fm (1.00 to 3.00)', '2.50\u202fm (1.50 to 3.50)', '+0.50\u202fm'],
    ['air', '9.00\u202fm (8.00 to 10.00)', 'no readings', '—'],
  ]);
});

test('the second time is moved by its own length, typed, or closed', () => {
  const [onBegin, onClose] = [vi.fn(), vi.fn()];
  show(
    <BesideView
      signals={signals.slice(0, 1)}
      history={history(FROM, { level: 2 })}
      panes="unit"
      zone="UTC"
      hasNights={false}
      alongside={new Map()}
      onBegin={onBegin}
      onZoom={vi.fn()}
      onUnit={vi.fn()}
      onPick={vi.fn()}
      onClose={onClose}
    />,
  );
  expect(screen.getAllByText(/level ended where it began, lowest 1.00/).length).toBeGreaterThan(0);
  press('Before it');
  press('After it');
  type('Beside, from', '2026-04-30 12:00');
  screen.getByLabelText('Beside, from').focus();
  screen.getByLabelText('Beside, from').blur();
  press('Close');
  expect(onBegin.mock.calls).toEqual([[FROM - HOUR], [FROM + HOUR], [FROM - 12 * HOUR]]);
  expect(onClose).toHaveBeenCalled();
});
