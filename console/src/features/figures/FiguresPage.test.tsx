import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import { aDevice, aSignal } from '../../testing';
import { answering, choose, press, show, type, where } from '../../testing-dom';
import { FiguresPage } from './FiguresPage';

const DEVICES = [
  aDevice({
    device: 'tower',
    name: 'Water tower',
    signals: [aSignal({ signal: 'level', name: 'Level', unit: 'm', symbol: 'm', decimals: 2 })],
  }),
];
const bucket = (over: object = {}) => ({
  start_ms: Date.parse('2026-05-01T00:00:00Z'),
  end_ms: Date.parse('2026-05-02T00:00:00Z'),
  count: 2880,
  min: { value: 1.78, at: '2026-05-01T05:28:00Z' },
  max: { value: 3.13, at: '2026-05-01T08:07:00Z' },
  mean: 2.33,
  time_mean: 2.336,
  total: 6710,
  integral: 56.06,
  held_h: 24,
  deviation: 0.41,
  quantiles: [1.82, 2.21, 3.12],
  above_h: [3.04],
  whole: true,
  ...over,
});
const table = (buckets: object[]) => ({
  from: '2026-05-01T00:00:00Z',
  to: '2026-05-02T00:00:00Z',
  quantiles: [0.05, 0.5, 0.95],
  signals: [{ signal: 'tower/level', unit: 'm', integral_unit: 'm.h', buckets }],
});
const AT = '/sites/marlbeck/figures?signals=tower/level&from=1777593600000&to=1777680000000';
const answers = (buckets: object[]) => ({
  'GET /sites/marlbeck/now': { items: DEVICES },
  'GET /sites/marlbeck/figures': table(buckets),
});

const rows = async () => {
  const region = await screen.findByRole('region', { name: 'Figures of Level' });
  return within(region)
    .getAllByRole('row')
    .map((row) => [...row.children].map(({ textContent }) => textContent));
};

test('figures stand in a row for each day, extremes with their time of day', async () => {
  const asked = answering(answers([bucket()]));
  show(<FiguresPage />, { at: `${AT}&above=3` });
  const [headings, day] = await rows();
  expect(headings).toEqual([
    'From',
    'Least',
    'Greatest',
    'Mean over time',
    'Deviation',
    '5 %',
    'Median',
    '95 %',
    'Integral (m·h)',
    'Hours above 3',
    'Readings',
  ]);
  expect(day).toEqual([
    '2026-05-01',
    '1.78 at 05:28',
    '3.13 at 08:07',
    '2.336',
    '0.410',
    '1.820',
    '2.210',
    '3.120',
    '56.06',
    '3.0',
    '2\u202f880',
  ]);
  const path = new URLSearchParams(asked.find(({ path }) => path.includes('/figures'))?.path.split('?')[1]);
  expect([path.get('by'), path.get('above'), path.get('quantiles')]).toEqual(['day', '3', '0.05,0.5,0.95']);
});

test('what is not known is a dash, and it is said why', async () => {
  answering(
    answers([bucket({ whole: false, max: { value: 3.13 }, deviation: undefined, quantiles: undefined })]),
  );
  show(<FiguresPage />, { at: AT });
  const [, day] = await rows();
  expect(day?.slice(1, 6)).toEqual(['1.78 at 05:28', '3.13', '2.336', '—', '—']);
  expect(screen.getByText(/Where there is a dash/)).toBeTruthy();
});

test('what is asked is in the address', async () => {
  answering(answers([bucket()]));
  show(<FiguresPage />, { at: AT });
  await rows();
  await choose('Figures', 'By month');
  type('Hours within', '1,5..2,5');
  fireEvent.keyDown(screen.getByLabelText('Hours within'), { key: 'Enter' });
  await waitFor(() => {
    const address = new URLSearchParams(where().split('?')[1]);
    expect([address.get('by'), address.get('within')]).toEqual(['month', '1.5..2.5']);
  });
  type('Hours above', 'high');
  expect(screen.getByText('A number')).toBeTruthy();
});

test('days and hours are drawn with their scale', async () => {
  answering(answers([bucket(), bucket({ start_ms: Date.parse('2026-05-01T01:00:00Z'), time_mean: 3 })]));
  show(<FiguresPage />, { at: AT });
  await rows();
  press('Show days and hours');
  const map = await screen.findByRole('img', { name: /Level by day and hour, from 2\.34/ });
  expect(map.querySelectorAll('title')).toHaveLength(2);
});

test('without a signal it is said what to do; the other pages keep signals and time', async () => {
  answering(answers([]));
  show(<FiguresPage />, { at: '/sites/marlbeck/figures?span=1w&by=month' });
  expect(await screen.findByText('No signal is chosen yet')).toBeTruthy();
  const tabs = within(screen.getByRole('navigation', { name: 'Ways to look' }));
  expect(tabs.getByRole('link', { name: 'Charts' }).getAttribute('href')).toBe(
    '/sites/marlbeck/charts?span=1w',
  );
});
