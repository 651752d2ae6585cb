import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Columns } from '../../chart/series';
import { aDevice, aSignal } from '../../testing';
import { answering, press, show, where } from '../../testing-dom';
import { ChartsPage } from './ChartsPage';

// A canvas is not drawn here; what it is given to draw is shown as text.
vi.mock('../../chart/Pane', () => ({
  Pane: ({
    columns,
    summary,
    onZoom,
  }: {
    columns: Columns;
    summary: string;
    onZoom: (span: object) => void;
  }) => (
    <figure aria-label="pane">
      {JSON.stringify(columns.means)}
      <p>{summary}</p>
      <button onClick={() => onZoom({ from: 1000, to: 2000 })}>zoom</button>
    </figure>
  ),
}));

const DEVICES = [
  aDevice({
    device: 'tower',
    name: 'Water tower',
    signals: [aSignal({ signal: 'level', name: 'Level', unit: 'm', symbol: 'm' })],
  }),
  aDevice({
    device: 'larder',
    name: 'Larder',
    signals: [
      aSignal({ signal: 'temp', name: 'Temperature', unit: 'Cel', symbol: '°C' }),
      aSignal({ signal: 'oil', name: 'Oil', unit: 'm', symbol: 'm' }),
      aSignal({ signal: 'mode', name: 'Mode', type: 'text' }),
    ],
  }),
];
const piece = (start_ms: number, value: number) => ({
  start_ms,
  min: value,
  max: value,
  mean: value,
  count: 1,
});
const summary = (value: number) => ({
  from: '2026-05-01T00:00:00Z',
  to: '2026-05-01T01:00:00Z',
  width_s: 10,
  buckets: [piece(0, value)],
});
const ANSWERS = {
  'GET /sites/marlbeck/now': { items: DEVICES },
  'GET /sites/marlbeck/devices/tower/signals/level/summary': summary(1),
  'GET /sites/marlbeck/devices/larder/signals/temp/summary': summary(2),
  'GET /sites/marlbeck/devices/larder/signals/oil/summary': summary(3),
};
const open = (query: string, answers: Record<string, unknown> = ANSWERS) => {
  const asked = answering(answers);
  show(<ChartsPage />, { at: `/charts?${query}`, route: '/charts' });
  return asked;
};
const FIXED = 'from=500&to=9000';

test('signals of several devices share a pane by unit, and say whose they are', async () => {
  open(`signals=tower/level,larder/temp,larder/oil&${FIXED}`);
  await waitFor(() => expect(screen.getAllByRole('figure').length).toBe(2));
  await waitFor(() => expect(screen.getAllByRole('figure')[0]?.textContent).toContain('[[1],[3]]'));
  const [metres, degrees] = screen.getAllByRole('figure');
  expect(metres?.textContent).toContain('Water tower: Level');
  expect(metres?.textContent).toContain('Larder: Oil');
  expect(degrees?.textContent).toContain('[[2]]');
});

test('with none chosen it says what to do, and asks for nothing', async () => {
  const asked = open(FIXED);
  expect(await screen.findByText('No signal is chosen yet')).toBeTruthy();
  expect(asked.filter((one) => one.path.includes('summary'))).toEqual([]);
});

test('a signal is found by the name of its device, and is in the address then', async () => {
  open(`signals=tower/level&${FIXED}`);
  const field = await screen.findByLabelText('Signals');
  fireEvent.focus(field);
  fireEvent.change(field, { target: { value: 'Temperature' } });
  const options = within(await screen.findByRole('listbox')).getAllByRole('option');
  expect(options.map((option) => option.textContent)).toEqual(['Temperature']);
  fireEvent.click(options[0] as HTMLElement);
  await waitFor(() => expect(decodeURIComponent(where())).toContain('signals=tower/level,larder/temp'));
  await waitFor(() => expect(screen.getAllByRole('figure').length).toBe(2));
});

test('a zoom is in the address, with the signals', async () => {
  open(`signals=tower/level&${FIXED}`);
  await screen.findByRole('figure');
  press('zoom');
  await waitFor(() => expect(where()).toContain('from=1000&to=2000'));
  expect(decodeURIComponent(where())).toContain('signals=tower/level');
});

test('what is not there any more is left out', async () => {
  open(`signals=tower/gone,tower/level&${FIXED}`);
  await waitFor(() => expect(screen.getAllByRole('figure').length).toBe(1));
});

test('what cannot be asked for is said, with a way to try again', async () => {
  open(FIXED, { 'GET /sites/marlbeck/now': 503 });
  expect(await screen.findByRole('button', { name: /again/i })).toBeTruthy();
});
