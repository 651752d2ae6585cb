import { describe, expect, it } from 'vitest';
import { everyDay, figureInWords } from './figures';

describe('figures of alarms', () => {
  it('show days without an alarm too', () => {
    const days = everyDay([{ day: '2026-03-29', count: 2 }], '2026-03-28', '2026-03-30');
    expect(days.map(({ day, count }) => `${day} ${count}`)).toEqual([
      '2026-03-28 0',
      '2026-03-29 2',
      '2026-03-30 0',
    ]);
  });

  it('are shares or counts', () => {
    expect(figureInWords('flood', 0.0123)).toBe('1.2 %');
    expect(figureInWords('per_day', 12)).toBe('12');
    expect(figureInWords('per_day', 12.34)).toBe('12.3');
  });
});
