import type { CalibrationPair } from '../../api/schema';

/** Reads pairs, one a line: what was said, then what was right. */
export function parsePairs(text: string): { pairs: CalibrationPair[]; wrong?: number } {
  const pairs: CalibrationPair[] = [];
  for (const [index, line] of text.split('\n').entries()) {
    const parts = line
      .replaceAll('\u2212', '-')
      .split(/[=;\s]+/)
      .filter((part) => part !== '');
    if (parts.length === 0) continue;
    const [said, right] = parts.map(Number);
    if (parts.length !== 2 || !Number.isFinite(said) || !Number.isFinite(right)) {
      return { pairs, wrong: index + 1 };
    }
    pairs.push({ said: said as number, right: right as number });
  }
  return { pairs };
}
