import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import { aDevice, aSignal } from '../../testing';
import { answering, choose, press, show, where } from '../../testing-dom';
import { ReadingsTable } from './ReadingsTable';

const SPAN = { from: Date.parse('2026-05-01T00:00:00Z'), to: Date.parse('2026-05-02T00:00:00Z') };
const DEVICE = aDevice({
  signals: [
    aSignal(),
    aSignal({ signal: 'pos', name: 'Position', type: 'position', symbol: '', decimals: 4 }),
  ],
});
const READINGS = 'GET /sites/marlbeck/devices/tower/signals/level/readings';
const POSITIONS = 'GET /sites/marlbeck/devices/tower/signals/pos/readings';

const open = (answers: Record<string, unknown>) => {
  const asked = answering(answers);
  show(<ReadingsTable device={DEVICE} span={SPAN} asked={SPAN} chosen={new Map() as never} />);
  return asked;
};
const rows = () =>
  screen
    .getAllByRole('row')
    .slice(1)
    .map((row) =>
      within(row)
        .getAllByRole('cell')
        .map((cell) => cell.textContent),
    );

test('readings stand with their time, their quality and whether they are of a trial', async () => {
  open({
    [READINGS]: {
      items: [
        { at: '2026-05-01T12:00:00Z', value: 2.5 },
        { at: '2026-05-01T11:00:00Z', value: 99, quality: 'rejected', cause: 'range' },
        { at: '2026-05-01T10:00:00Z', value: 1, trial: true },
      ],
    },
  });
  await screen.findByText('2.50');
  const values = rows().map(([, value]) => value);
  expect(values[0]).toBe('2.50');
  expect(values[1]).toContain('rejected: ');
  expect(values[2]).toBe('1.00in trial');
});

test('suspect and rejected ones come on request', async () => {
  const asked = open({ [READINGS]: { items: [] } });
  expect(await screen.findByText('No readings in this time.')).toBeTruthy();
  fireEvent.click(screen.getByLabelText('Also what is suspect or rejected'));
  await waitFor(() => expect(asked.some(({ path }) => path.includes('all=true'))).toBe(true));
});

test('another signal is chosen, and a position is read as one', async () => {
  open({
    [READINGS]: { items: [] },
    [POSITIONS]: { items: [{ at: '2026-05-01T12:00:00Z', value: { latitude: 54.5, longitude: -2.25 } }] },
  });
  await choose('Readings of', 'Position');
  await waitFor(() => expect(where()).toBe('/?signal=pos'));
  expect(await screen.findByText(/54\.5000°\sN 2\.2500°\sW/)).toBeTruthy();
});

test('pages go on to older readings and back', async () => {
  const asked = open({ [READINGS]: { items: [{ at: '2026-05-01T12:00:00Z', value: 2 }], next: 'older' } });
  await screen.findByText('2.00');
  press('Older');
  await waitFor(() => expect(asked.some(({ path }) => path.includes('after=older'))).toBe(true));
});
