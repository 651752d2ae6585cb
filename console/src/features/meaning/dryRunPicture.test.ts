import { expect, test } from 'vitest';
import type { DryRunResult, Reading } from '../../api/schema';
import { dryRunPicture } from './dryRunPicture';

const reading = (minute: number, value: Reading['value'], quality?: Reading['quality']): Reading => ({
  at: new Date(Date.parse('2026-05-01T00:00:00Z') + minute * 60_000).toISOString(),
  value,
  ...(quality === undefined ? {} : { quality }),
});
const result = (more: Partial<DryRunResult>) =>
  ({
    from: '2026-05-01T00:00:00Z',
    to: '2026-05-01T01:00:00Z',
    curve_now: [reading(0, 1), reading(1, 2)],
    curve: [reading(0, 10), reading(1, 20)],
    examples: [],
    ...more,
  }) as DryRunResult;

test('what it is and what it would be are two lines by name', () => {
  const { layers, up } = dryRunPicture(result({}), 'UTC');
  expect(layers.slice(0, 2).map((layer) => layer.kind === 'line' && layer.name)).toEqual(['now', 'then']);
  expect(up[0]).toBeLessThan(1);
  expect(up[1]).toBeGreaterThan(20);
});

test('what is caught does not stretch the picture; suspect ones are hollow', () => {
  const examples = [reading(2, 9999, 'rejected'), reading(3, 30, 'suspect'), reading(4, 'ERR', 'rejected')];
  const { layers, up } = dryRunPicture(result({ examples }), 'UTC');
  expect(up[1]).toBeLessThan(30);
  expect(layers.slice(2)).toMatchObject([
    { look: 'hollow', tone: 'doubtful', places: [[expect.anything(), 30]] },
    { look: 'full', tone: 'wrong', places: [[expect.anything(), 9999]] },
  ]);
});

test('where all is caught it is seen none the less', () => {
  const examples = [reading(2, 50, 'rejected'), reading(3, 70, 'rejected')];
  const { up } = dryRunPicture(result({ curve: [], curve_now: [], examples }), 'UTC');
  expect(up[0]).toBeLessThan(50);
  expect(up[1]).toBeGreaterThan(70);
});
