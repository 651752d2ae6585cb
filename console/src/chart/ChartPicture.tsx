import type { Ref } from 'react';
import type { Picture } from './picture';
import { Drawing } from './svg/PictureView';
import { usePalette } from './useScheme';

/** A pane with what is written above and below it. */
export interface PictureOfPane {
  title: string;
  story: string;
  picture: Picture;
}

interface Props {
  ref: Ref<SVGSVGElement>;
  panes: PictureOfPane[];
  /** What it shows, and of when. */
  title: string;
}

const WIDTH = 1000;
const PANE = 230;
const MARGIN = 16;
const LINE = 20;
/** Characters of a sentence in one line. */
const LONGEST = 125;
/** Room for the names of lines. */
const NAMES = 150;

/** A whole chart as one drawing, to be saved or printed. */
export function ChartPicture({ ref, panes, title }: Props) {
  const { text, background } = usePalette();
  const parts = panes.map((pane) => ({ ...pane, told: wrapped(pane.story, LONGEST) }));
  const heights = parts.map(({ told }) => PANE + (told.length + 2.5) * LINE);
  const sum = (some: number[]) => some.reduce((a, b) => a + b, 0);
  const placed = parts.map((pane, i) => ({ ...pane, top: MARGIN + 2 * LINE + sum(heights.slice(0, i)) }));
  const height = 2 * MARGIN + LINE + sum(heights);
  return (
    <svg
      ref={ref}
      xmlns="http://www.w3.org/2000/svg"
      width={WIDTH + 2 * MARGIN}
      height={height}
      viewBox={`0 0 ${WIDTH + 2 * MARGIN} ${height}`}
      fontFamily="sans-serif"
      fontSize={14}
      role="img"
      aria-label={title}
    >
      <rect width="100%" height="100%" fill={background.default} />
      <text x={MARGIN} y={MARGIN + 4} fill={text.secondary}>
        {title}
      </text>
      {placed.map((pane) => (
        <g key={pane.top} transform={`translate(${MARGIN} ${pane.top})`}>
          <text y={0} fontWeight={650} fill={text.primary}>
            {pane.title}
          </text>
          <g transform="translate(0 8)">
            <Drawing picture={pane.picture} label={pane.story} width={WIDTH} height={PANE} room={NAMES} />
          </g>
          {pane.told.map((part, i) => (
            <text key={part} y={PANE + 8 + (i + 1) * LINE} fill={text.primary}>
              {part}
            </text>
          ))}
        </g>
      ))}
    </svg>
  );
}

/** A text in lines of no more than so many characters, broken between words. */
export function wrapped(text: string, longest: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(' ').filter((word) => word !== '')) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + 1 + word.length <= longest)
      lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}

/** A drawing as the text of a file of its own: colours that follow the page's scheme become those of now. */
export function svgText(drawing: SVGSVGElement): string {
  const style = getComputedStyle(document.documentElement);
  const text = new XMLSerializer().serializeToString(drawing);
  return text.replace(
    /var\((--[\w-]+)(?:,[^()]*)?\)/g,
    (whole, name: string) => style.getPropertyValue(name).trim() || whole,
  );
}
