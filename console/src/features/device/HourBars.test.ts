import { expect, test } from 'vitest';
import { hoursPicture } from './HourBars';

const NOW = Date.parse('2026-05-01T12:34:00Z');
const hour = (from: string, delivery_ratio?: number) => ({
  from,
  received: 9,
  lost: 1,
  repeated: 0,
  delivery_ratio,
});

test('each of the last 24 hours is a bar, and one without a message is none', () => {
  const hours = [
    hour('2026-05-01T12:00:00Z', 0.5),
    hour('2026-05-01T11:00:00Z'),
    hour('2026-04-30T12:00:00Z', 0.1),
  ];
  const { layers, across } = hoursPicture(hours as never, NOW, 'Europe/London');
  const bars = layers[0]?.kind === 'bars' ? layers[0].bars : [];
  expect(bars.length).toBe(24);
  expect(bars.slice(-2)).toMatchObject([
    { part: 1, tone: 'trace' },
    { part: 0.5, tone: 'low', title: '2026-05-01 13:00:00: 9 came, 1 lost, 0 again' },
  ]);
  expect(bars.slice(0, -2).every((bar) => bar.part === null)).toBe(true);
  expect(bars[0]?.title).toContain('no message');
  expect(across).toMatchObject({ span: { to: Date.parse('2026-05-01T13:00:00Z') } });
});
