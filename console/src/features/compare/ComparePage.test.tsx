import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { aDevice, aSignal } from '../../testing';
import { answering, show, where } from '../../testing-dom';
import { ComparePage } from './ComparePage';

// How wide there is room is not known here; pictures are tested by what they are made of.
vi.mock('../../chart/svg/PictureView', () => ({ PictureView: () => null }));

const DEVICES = {
  items: [
    aDevice({
      device: 'tower',
      name: 'Water tower',
      signals: [
        aSignal({ signal: 'level', name: 'Level' }),
        aSignal({ signal: 'level-p', name: 'By pressure' }),
      ],
    }),
  ],
};
const FIGURES = {
  bias: 0.02,
  spread: 0.006,
  rms: 0.021,
  least: -0.003,
  greatest: 0.042,
  correlation: 0.9997,
  lag_s: 0,
  decimals: 3,
  line: { slope: 0.99, intercept: -0.01, residual: 0.005 },
};
const FOUND = {
  reference: 'tower/level',
  symbol: 'm',
  from: '2026-05-01T00:00:00Z',
  to: '2026-05-03T00:00:00Z',
  tolerance_s: 30,
  others: [
    {
      signal: 'tower/level-p',
      shifted_s: 0,
      pairs: 5760,
      of_reference: 5761,
      figures: FIGURES,
      differences: [],
      sample: [{ at_ms: 0, reference: 1, other: 1.02 }],
    },
  ],
};
const BOTH = 'reference=tower/level&other=tower/level-p';
const open = (query: string, compare: unknown = FOUND) => {
  const asked = answering({ 'GET /sites/marlbeck/now': DEVICES, 'GET /sites/marlbeck/compare': compare });
  show(<ComparePage />, { at: `/compare?${query}`, route: '/compare' });
  return asked;
};
const compared = (asked: ReturnType<typeof open>) =>
  asked
    .filter((one) => one.path.includes('/compare?'))
    .map((one) => Object.fromEntries(new URLSearchParams(one.path.split('?')[1])));

test('before two signals are chosen it says so, and nothing is asked', async () => {
  const asked = open('reference=tower/level');
  expect(await screen.findByText('Choose two signals')).toBeTruthy();
  expect(compared(asked)).toEqual([]);
});

test('what differs is said in figures and in a sentence', async () => {
  open(BOTH);
  expect(
    await screen.findByText(/tower\/level-p reads 0\.020.m more than tower\/level, give or take/),
  ).toBeTruthy();
  const facts = [...document.querySelectorAll('dt')].map((dt) => [
    dt.textContent,
    dt.nextElementSibling?.textContent?.replace(/\s/g, ' '),
  ]);
  expect(facts).toContainEqual(['Bias', '0.020 m']);
  expect(facts).toContainEqual(['Differences', '−0.003 to 0.042 m']);
  expect(facts).toContainEqual(['Correlation', '0.9997']);
  expect(screen.getByText(/Pairs are at most 30 s apart; 5\s760 of 5\s761 readings/)).toBeTruthy();
});

test.each([
  [
    'Time',
    '7',
    { days: '7' },
    (query: Record<string, string>) =>
      Date.parse(query.to ?? '') - Date.parse(query.from ?? '') === 7 * 864e5,
  ],
  ['The other from', '1', { shift: '1' }, (query: Record<string, string>) => query.shift_s === '86400'],
  [
    'Paired with',
    'interpolated',
    { align: 'interpolated' },
    (query: Record<string, string>) => query.align === 'interpolated',
  ],
  ['At most apart', '60', { tolerance: '60' }, (query: Record<string, string>) => query.tolerance_s === '60'],
])('%s is in the address and in what is asked', async (label, value, address, isAsked) => {
  const asked = open(BOTH);
  fireEvent.change(await screen.findByLabelText(label), { target: { value } });
  await waitFor(() => expect(compared(asked).some(isAsked)).toBe(true));
  const query = Object.fromEntries(new URLSearchParams(where().split('?')[1]));
  expect(query).toMatchObject(address);
});

test('too few pairs are no comparison', async () => {
  open(BOTH, { ...FOUND, others: [{ ...FOUND.others[0], pairs: 1, figures: undefined }] });
  expect(await screen.findByText('Too little to compare')).toBeTruthy();
});

test('a line that is of another time is not offered as a calibration', async () => {
  open(BOTH, { ...FOUND, others: [{ ...FOUND.others[0], shifted_s: 86_400 }] });
  await screen.findByText('Bias');
  expect(screen.queryByRole('button', { name: /Calibrate/ })).toBeNull();
});
