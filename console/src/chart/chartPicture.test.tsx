import { cleanup, render } from '@testing-library/react';
import { createRef } from 'react';
import { afterEach, expect, test } from 'vitest';
import { aSignal } from '../testing';
import { ChartPicture, svgText, wrapped } from './ChartPicture';
import type { Line } from './lines';
import { panePicture } from './panePicture';
import type { Columns } from './series';

afterEach(cleanup);

const FROM = Date.parse('2026-05-01T08:00:00Z');
const SPAN = { from: FROM, to: FROM + 3_600_000 };
const line = (signal: string, more: Partial<Line> = {}): Line => ({
  signal: {
    ...aSignal({ signal, name: signal, type: signal === 'door' ? 'flag' : 'number' }),
    device: 'tower',
    interval_s: 60,
  },
  tone: 0,
  side: 'left',
  name: signal,
  ...more,
});
const columns = (...means: (number | null)[][]): Columns => ({
  times: (means[0] ?? []).map((_, i) => FROM / 1000 + 600 * i),
  means,
  mins: means.map((one) => one.map((mean) => (mean === null ? null : mean - 1))),
  maxs: means.map((one) => one.map((mean) => (mean === null ? null : mean + 1))),
  lone: means.map(() => []),
});
const NONE = { nights: [], greys: [], doubts: [] };

test('a line and its band, with the gap open', () => {
  const { layers, up } = panePicture([line('level')], columns([2, null, 4]), NONE, SPAN, 'UTC');
  expect(layers.map(({ kind }) => kind)).toEqual(['band', 'line']);
  expect(layers[1]).toMatchObject({ name: 'level', places: [[FROM, 2], null, [FROM + 1_200_000, 4]] });
  expect(up[0]).toBeLessThan(1);
  expect(up[1]).toBeGreaterThan(5);
});

test('a second axis has a range of its own', () => {
  const two = [line('level'), line('air', { side: 'right', tone: 1 })];
  const picture = panePicture(two, columns([2, 3], [70, 80]), NONE, SPAN, 'UTC');
  expect(picture.up[1]).toBeLessThan(10);
  expect(picture.right?.[0]).toBeGreaterThan(60);
});

test('an earlier time is dotted and without a name; a flag goes in steps', () => {
  const under = panePicture([line('level', { under: 'a day before' })], columns([2, 3]), NONE, SPAN, 'UTC');
  expect(under.layers).toMatchObject([{ kind: 'line', look: 'dotted', name: '' }]);
  const flag = panePicture([line('door')], columns([0, 1]), NONE, SPAN, 'UTC');
  expect(flag.layers).toMatchObject([
    {
      places: [
        [FROM, 0],
        [FROM + 600_000, 0],
        [FROM + 600_000, 1],
      ],
    },
  ]);
});

test('what stands behind is cut to the time, and doubts are rings', () => {
  const behind = {
    nights: [
      { from: 0, to: 9 },
      { from: FROM - 9, to: FROM + 9 },
    ],
    greys: [],
    doubts: [[{ at: FROM + 5, value: 99, isRejected: true }]],
  };
  const { layers } = panePicture([line('level')], columns([2, 3]), behind, SPAN, 'UTC');
  expect(layers[0]).toMatchObject({ kind: 'shade', spans: [{ from: FROM, to: FROM + 9 }] });
  expect(layers.at(-1)).toMatchObject({ kind: 'dots', look: 'hollow', places: [[FROM + 5, 99]] });
});

test('the whole chart is one drawing that needs no page around it', () => {
  document.documentElement.style.setProperty('--ink', '#123456');
  const ref = createRef<SVGSVGElement>();
  const picture = panePicture([line('level')], columns([2, 3]), NONE, SPAN, 'UTC');
  const pane = { title: 'Water & air', story: 'It rose.', picture };
  render(<ChartPicture ref={ref} panes={[pane, { ...pane, title: 'Second' }]} title="Marlbeck" />);
  ref.current?.querySelector('text')?.setAttribute('fill', 'var(--ink)');
  const text = ref.current ? svgText(ref.current) : '';
  expect(text).toContain('<svg xmlns="http://www.w3.org/2000/svg"');
  expect(text).toContain('Water &amp; air');
  expect(text).toContain('fill="#123456"');
  expect(text).not.toContain('var(--ink)');
  expect(text.split('<path').length).toBeGreaterThan(3);
});

test('long sentences are broken between words', () => {
  expect(wrapped('one two  three', 7)).toEqual(['one two', 'three']);
  expect(wrapped('unbreakable', 3)).toEqual(['unbreakable']);
  expect(wrapped('', 3)).toEqual([]);
});
