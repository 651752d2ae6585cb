import { render, screen, within } from '@testing-library/react';
import { afterEach, describe, expect, test } from 'vitest';
import { cleanup } from '@testing-library/react';
import type { Layer, Picture } from '../picture';
import { BarePicture } from './BarePicture';
import { Drawing } from './PictureView';

afterEach(cleanup);

const DAY = { from: Date.parse('2026-05-01T00:00:00Z'), to: Date.parse('2026-05-02T00:00:00Z') };
const picture = (...layers: Layer[]): Picture => ({
  across: { kind: 'time', span: DAY, zone: 'UTC' },
  up: [0, 10],
  layers,
});
const line = (name: string, tone: number, last: number): Layer => ({
  kind: 'line',
  name,
  tone,
  places: [
    [DAY.from, 1],
    [DAY.to, last],
  ],
});
const draw = (shown: Picture) => {
  render(<Drawing picture={shown} label="what it shows" width={800} height={220} />);
  return screen.getByRole('img', { name: 'what it shows' });
};
const textsIn = (drawing: HTMLElement) =>
  [...drawing.querySelectorAll('text')].map((text) => text.textContent);

describe('a drawing', () => {
  test('has round marks on both axes', () => {
    const texts = textsIn(draw(picture(line('level', 0, 5))));
    expect(texts.slice(0, 6)).toEqual(['0', '2', '4', '6', '8', '10']);
    expect(texts.slice(6)).toEqual([
      '05-01',
      '03:00',
      '06:00',
      '09:00',
      '12:00',
      '15:00',
      '18:00',
      '21:00',
      '05-02',
    ]);
  });
  test('names its lines at their ends where there are several', () => {
    expect(textsIn(draw(picture(line('now', 0, 5))))).not.toContain('now');
    cleanup();
    const texts = textsIn(draw(picture(line('now', 0, 5), line('then', 1, 9), line('', 2, 1))));
    expect(texts).toContain('now');
    expect(texts).toContain('then');
  });
  test('puts values where they belong', () => {
    const paths = draw(picture(line('level', 0, 10))).querySelectorAll('path');
    expect(paths[0]?.getAttribute('d')).toBe('M64,173.8L788,10');
  });
  test('what is off the scale stands at its edge', () => {
    const dots: Layer = {
      kind: 'dots',
      tone: 'wrong',
      look: 'hollow',
      places: [
        [DAY.from, 500],
        [DAY.from, -500],
        [DAY.from, 5],
      ],
    };
    const circles = [...draw(picture(dots)).querySelectorAll('circle')];
    expect(circles.map((circle) => circle.getAttribute('cy'))).toEqual(['10', '192', '101']);
    expect(circles.every((circle) => circle.getAttribute('fill') === 'none')).toBe(true);
  });
  test('a place between two gaps is a dot', () => {
    const gappy: Layer = { kind: 'line', name: '', tone: 0, places: [[DAY.from, 5], null, [DAY.to, 5]] };
    expect(draw(picture(gappy)).querySelector('[data-lone]')?.getAttribute('d')).toBe(
      'M64.0 101.0h0M788.0 101.0h0',
    );
  });
  test('of numbers against numbers says what lies across', () => {
    const across = { kind: 'number', low: 0, high: 4, title: 'tower/level (m)' } as const;
    const texts = textsIn(draw({ across, up: [0, 4], layers: [] }));
    expect(texts.at(-1)).toBe('tower/level (m)');
    expect(texts.filter((text) => text === '2').length).toBe(2);
  });
});

test('a small picture says what it shows, and each bar what it is', () => {
  const bars: Layer = {
    kind: 'bars',
    bars: [
      { from: 0, to: 1, part: 1, tone: 'trace', title: 'all came' },
      { from: 1, to: 2, part: 0.25, tone: 'low', title: 'a quarter came' },
      { from: 2, to: 3, part: null, tone: 'trace', title: 'nothing' },
    ],
  };
  const across = { kind: 'number', low: 0, high: 3, title: '' } as const;
  render(
    <BarePicture picture={{ across, up: [0, 1], layers: [bars] }} label="hours" width={30} height={20} />,
  );
  const drawing = screen.getByRole('img', { name: 'hours' });
  const heights = [...drawing.querySelectorAll('rect')].map((rect) => rect.getAttribute('height'));
  expect(heights).toEqual(['20', '20', '20', '5']);
  expect(drawing.querySelectorAll('circle').length).toBe(1);
  expect(within(drawing).getByText('a quarter came').tagName).toBe('title');
});
