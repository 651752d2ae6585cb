import type uPlot from 'uplot';
import { beforeEach, expect, test, vi } from 'vitest';
import { aSignal } from '../testing';
import type { Line } from './lines';
import { drawBackdrop, drawDoubts, drawLone, lineUnder, nameLines, tell, type Backdrop } from './paneDraw';

/** A plot of 1,000 pixels for 100 seconds and 100 for values from 0 to 10, which keeps what is drawn. */
function plot(data: (number | null | undefined)[][], cursor: Partial<uPlot.Cursor> = {}) {
  const drawn: [string, ...unknown[]][] = [];
  const keep =
    (name: string) =>
    (...args: unknown[]) =>
      drawn.push([name, ...args]);
  const ctx = new Proxy(
    {},
    {
      get: (_, name: string) =>
        name === 'measureText' ? (text: string) => ({ width: text.length * 8 }) : keep(name),
      set: () => true,
    },
  );
  const u = {
    ctx,
    data,
    cursor,
    width: 1_000,
    bbox: { left: 0, top: 0, width: 1_000, height: 100 },
    scales: { x: { min: 0, max: 100 } },
    valToPos: (value: number, scale: string) => (scale === 'x' ? value * 10 : 100 - value * 10),
  } as unknown as uPlot;
  const of = (name: string) => drawn.filter(([what]) => what === name).map(([, ...args]) => args);
  return { u, of };
}
const line = (signal: string, more: Partial<Line> = {}): Line => ({
  signal: {
    ...aSignal({
      signal,
      name: signal,
      symbol: 'm',
      decimals: 1,
      type: signal === 'door' ? 'flag' : 'number',
    }),
    device: 'tower',
    interval_s: 10,
  },
  tone: 0,
  side: 'left',
  name: signal,
  ...more,
});
const BACKDROP: Backdrop = { nights: [], midnights: [], moments: [], doubts: [], greys: [] };

beforeEach(() => {
  vi.stubGlobal('window', { devicePixelRatio: 1 });
});

test('nights and what is not to be trusted are drawn as far as they are seen', () => {
  const { u, of } = plot([[]]);
  const nights = [{ from: -50_000, to: 20_000 }];
  // The shortest of them is still two pixels wide; one that is over is not drawn.
  const greys = [
    { from: 50_000, to: 50_001 },
    { from: -9_000, to: -8_000 },
  ];
  drawBackdrop(u, { ...BACKDROP, nights, greys }, 'light');
  expect(of('fillRect')).toEqual([
    [0, 0, 200, 100],
    [500, 0, 2, 100],
  ]);
});

test('midnights and marks are upright lines, and only those inside', () => {
  const { u, of } = plot([[]]);
  drawBackdrop(u, { ...BACKDROP, midnights: [30_000, 200_000], moments: [70_000] }, 'dark');
  expect(of('moveTo')).toEqual([
    [300, 0],
    [700, 0],
  ]);
});

test('a bucket between two gaps goes from its least to its most', () => {
  const { u, of } = plot([
    [10, 20],
    [1, 2],
    [3, 2],
    [2, 2],
  ]);
  drawLone(u, [line('level')], 'light', [[0, 1]]);
  expect([of('moveTo'), of('lineTo')]).toEqual([[[100, 90]], [[100, 70]]]);
});

test('suspect ones are rings, rejected ones have a cross, and what lies far off stands at the edge', () => {
  const { u, of } = plot([[]]);
  const doubts = [
    { at: 10_000, value: 5, isRejected: false },
    { at: 20_000, value: 99, isRejected: true },
    { at: 900_000, value: 5, isRejected: false },
  ];
  drawDoubts(u, [line('level')], 'light', [doubts]);
  expect(of('arc').map(([x, y]) => [x, y])).toEqual([
    [100, 50],
    [200, 3.5],
  ]);
  expect(of('lineTo').length).toBe(2);
});

const DATA = [
  [0, 10, 20],
  [1, null, 3],
  [3, null, 5],
  [2, null, 4],
  [7, 7, 7],
  [7, 7, 7],
  [7, 7, 7],
];

test.each([
  [
    { idx: 2, top: 62 },
    { line: 0, at: 20_000 },
  ],
  [
    { idx: 0, top: 35 },
    { line: 1, at: 0 },
  ],
  [{ idx: 0, top: -50 }, undefined],
  [{ idx: null, top: 62 }, undefined],
])('with the pointer at %o the line meant is %o', (cursor, expected) => {
  const found = lineUnder(plot(DATA, cursor).u, [line('level'), line('air')]);
  expect(found && { line: found.line, at: found.at }).toEqual(expected);
});

test('an earlier time under the pointer is not asked where it comes from', () => {
  const { u } = plot(DATA, { idx: 0, top: 30 });
  expect(lineUnder(u, [line('level'), line('air', { under: 'a week before' })])).toBeUndefined();
});

test('values under the pointer are said, with their spread', () => {
  const element = { textContent: '' } as unknown as HTMLElement;
  const lines = [line('level'), line('door')];
  const data = [[20], [3], [5], [4], [0], [1], [0.75]];
  tell(plot(data, { idx: 0, left: 5 }).u, lines, 'UTC', element);
  expect(element.textContent).toBe('1970-01-01 00:00:20: level 4.0\u202fm (3.0 to 5.0), door yes');
  tell(plot(data, { idx: 0, left: -10 }).u, lines, 'UTC', element);
  expect(element.textContent).toBe('');
});

test('names stand at the ends of lines, apart from each other and cut to the room', () => {
  const { u, of } = plot(DATA);
  nameLines(u, [line('level'), line('a rather long name of a signal')], 'light', 100);
  expect(of('fillText').map(([text]) => text)).toEqual(['a rather l…', 'level']);
  // A line by itself needs none.
  const alone = plot(DATA.slice(0, 4));
  nameLines(alone.u, [line('level')], 'light', 100);
  expect(alone.of('fillText')).toEqual([]);
});
