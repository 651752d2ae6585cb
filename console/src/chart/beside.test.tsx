import { fireEvent, screen, within } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Mark } from '../api/schema';
import { aSignal } from '../testing';
import { choose, press, show, type } from '../testing-dom';
import { ChartTable } from './ChartTable';
import { ChartTools } from './ChartTools';
import type { Drawn } from './drawn';
import { MarksLane } from './MarksLane';
import type { Look } from './useLook';

const SPAN = { from: Date.parse('2026-05-01T00:00:00Z'), to: Date.parse('2026-05-02T00:00:00Z') };
const PLAIN: Look = {
  panes: 'unit',
  under: undefined,
  nights: false,
  doubts: false,
  zone: undefined,
  beside: undefined,
};

const tools = (look: Partial<Look> = {}, hasPlace = true) => {
  const onLook = vi.fn();
  show(<ChartTools look={{ ...PLAIN, ...look }} zone="Europe/London" hasPlace={hasPlace} onLook={onLook} />);
  return onLook;
};

test.each<[string, string, Partial<Look>]>([
  ['Panes', 'Two units a pane', { panes: 'pair' }],
  ['Underlaid', 'The week before', { under: 'week' }],
])('%s: %s', async (field, choice, look) => {
  const onLook = tools();
  await choose(field, choice);
  expect(onLook).toHaveBeenCalledWith(look);
});

test('nothing lies under the lines again', async () => {
  const onLook = tools({ under: 3 * 86_400_000 });
  expect(screen.getByText('3 d before')).toBeTruthy();
  await choose('Underlaid', 'Nothing');
  expect(onLook).toHaveBeenCalledWith({ under: undefined });
});

test('how long before can be typed', async () => {
  const onLook = tools();
  await choose('Underlaid', /Another time/);
  type(/how long before/, '90 m');
  fireEvent.keyDown(screen.getByLabelText(/how long before/), { key: 'Enter' });
  expect(onLook).toHaveBeenCalledWith({ under: 90 * 60_000 });
});

test('nights are offered where the place is known', () => {
  tools({}, false);
  expect(screen.queryByLabelText('Nights')).toBeNull();
});

test('readings that are not good are shown on request', () => {
  const onLook = tools();
  fireEvent.click(screen.getByLabelText('Suspect and rejected'));
  expect(onLook).toHaveBeenCalledWith({ doubts: true });
});

test('another zone is chosen, and the own one is none', async () => {
  const onLook = tools({ zone: 'Asia/Tokyo' });
  press('Times of Asia/Tokyo');
  fireEvent.click(await screen.findByRole('option', { name: 'Europe/London' }));
  expect(onLook).toHaveBeenCalledWith({ zone: undefined, beside: undefined });
});

const mark = (hour: number, over: Partial<Mark> = {}): Mark => ({
  kind: 'note',
  about: 'tower',
  from: new Date(SPAN.from + hour * 3_600_000).toISOString(),
  text: `at ${hour}`,
  by: 'ann',
  id: hour,
  ...over,
});

test('marks say more when they are pressed, and notes can be changed', async () => {
  const onChange = vi.fn();
  const marks = [mark(6), mark(18, { kind: 'command', text: 'lamp: done' })];
  show(
    <MarksLane
      marks={marks}
      isCut={false}
      span={SPAN}
      zone="UTC"
      isNamed={false}
      hasRight={false}
      onChange={onChange}
    />,
  );
  press('1 command, 2026-05-01 18:00:00');
  const told = await screen.findByText('tower: lamp: done');
  expect(within(told.parentElement as HTMLElement).queryByRole('button')).toBeNull();
  fireEvent.keyDown(told, { key: 'Escape' });
  fireEvent.click(screen.getByLabelText('1 note, 2026-05-01 06:00:00'));
  fireEvent.click(await screen.findByRole('button', { name: 'Change' }));
  expect(onChange).toHaveBeenCalledWith(marks[0]);
});

test('it is said that there are more marks', () => {
  show(
    <MarksLane
      marks={[mark(6)]}
      isCut
      span={SPAN}
      zone="UTC"
      isNamed={false}
      hasRight={false}
      onChange={vi.fn()}
    />,
  );
  expect(screen.getByText(/There are more marks than can be shown/)).toBeTruthy();
});

const drawn = (signal: string, over: Partial<Drawn> = {}): Drawn => ({
  ...aSignal({ signal, name: signal, symbol: 'm', decimals: 1 }),
  device: 'd',
  interval_s: 60,
  ...over,
});
const piece = (minute: number, [min, mean, max]: [number, number, number], count: number) => ({
  start_ms: SPAN.from + minute * 60_000,
  min,
  mean,
  max,
  count,
});

test('the table has means and how far values went', () => {
  const sets = new Map([
    ['d/level', { width_s: 60, pieces: [piece(0, [1, 1.5, 2], 4), piece(1, [2, 2, 2], 1)] }],
    ['d/door', { width_s: 60, pieces: [piece(0, [0, 0.25, 1], 4), piece(1, [1, 1, 1], 1)] }],
  ]);
  const signals = [drawn('level'), drawn('door', { type: 'flag', symbol: '' })];
  show(<ChartTable signals={signals} sets={sets} span={SPAN} zone="UTC" />);
  const cells = screen
    .getAllByRole('row')
    .map((row) => [...row.children].map(({ textContent }) => textContent));
  expect(cells).toEqual([
    ['From', 'level (m)', 'door'],
    ['2026-05-01 00:01:00', '2.0', 'yes'],
    ['2026-05-01 00:00:00', '1.5 (1.0 to 2.0)', 'yes in 25 %'],
  ]);
});

test('a long table is shown piece by piece', () => {
  const pieces = Array.from({ length: 300 }, (_, i) => piece(i, [i, i, i], 1));
  show(
    <ChartTable
      signals={[drawn('level')]}
      sets={new Map([['d/level', { width_s: 60, pieces }]])}
      span={SPAN}
      zone="UTC"
    />,
  );
  expect(screen.getAllByRole('row')).toHaveLength(51);
  expect(screen.getByText(/50 of 300 rows, each a reading/)).toBeTruthy();
  press('More rows');
  press('More rows');
  expect(screen.getAllByRole('row')).toHaveLength(301);
  expect(screen.queryByRole('button', { name: 'More rows' })).toBeNull();
});
