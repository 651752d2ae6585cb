import { fixed } from '../format/number';

/** Decimals that write each mark of an axis exactly, up to nine. */
export function decimalsOf(marks: number[]): number {
  const step = Math.abs((marks[1] ?? 1) - (marks[0] ?? 0)) || 1;
  for (let decimals = 0; decimals < 9; decimals += 1) {
    const scaled = step * 10 ** decimals;
    if (scaled > 0.5 && Math.abs(scaled - Math.round(scaled)) < 1e-6 * scaled) return decimals;
  }
  return 9;
}

/** The marks of an axis as text. */
export function axisNumbers(marks: number[]): string[] {
  const decimals = decimalsOf(marks);
  return marks.map((mark) => fixed(mark, decimals));
}
