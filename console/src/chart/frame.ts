/** Where charts are so narrow, names stand under the title instead. */
export const NARROW = 500;
/** Numbers and title of an axis, in pixels. */
export const AXIS = { numbers: 64, title: 20 };

/** Where the plot of a pane begins and ends, in pixels from the edges: the same in all panes of a chart. */
export interface Frame {
  left: number;
  right: number;
}

/** Some pane may have names at its right, or a second axis: all leave room, so that their times align. */
export function frameOf(isNamed: boolean, hasRight: boolean, width: number): Frame {
  const axis = AXIS.numbers + AXIS.title;
  const names = !isNamed || width < NARROW ? 16 : 150;
  return { left: axis, right: names + (hasRight ? axis : 0) };
}
