/**
 * Colours of lines: the set for colour-blind readers of Okabe and Ito (2008),
 * darkened on paper and lightened on ink to 3:1 against the surface. Line style
 * repeats the distinction.
 */
const LIGHT = ['#0072B2', '#C24F00', '#007F5C', '#A8517F', '#9A6700', '#2B7FB0'] as const;
const DARK = ['#4FA8DE', '#F08A4B', '#35BF96', '#D98FB5', '#E69F00', '#7CC6EE'] as const;
const DASHES = [[], [8, 4], [2, 3]] as const;

/** Colour of the nth line. */
export function seriesColour(index: number, mode: 'light' | 'dark'): string {
  const colours = mode === 'dark' ? DARK : LIGHT;
  return colours[index % colours.length] ?? colours[0];
}

/** Dashes of the nth line: solid, dashed, dotted. */
export const seriesDash = (index: number): number[] => [...(DASHES[index % DASHES.length] ?? [])];
