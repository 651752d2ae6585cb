/** Room around the panes and for a line of text, in pixels. */
const MARGIN = 16;
const LINE = 22;

/** What of a chart is put into a picture: its panes with their titles and sentences. */
interface Part {
  title: string;
  canvas: HTMLCanvasElement;
  story: string;
}

/** The panes of a chart, as they stand on the page. */
export function partsOf(chart: HTMLElement): Part[] {
  const stories = [...chart.querySelectorAll('[data-story]')].map((story) => story.textContent);
  return [...chart.querySelectorAll('figure')].flatMap((figure, i) => {
    const canvas = figure.querySelector('canvas');
    const title = figure.querySelector('figcaption')?.firstElementChild?.textContent ?? '';
    return canvas ? [{ title, canvas, story: stories[i] ?? '' }] : [];
  });
}

/** A chart as a picture (PNG), in the colours of the page; nothing if there is nothing to draw. */
export async function pictureOf(chart: HTMLElement): Promise<Blob | null> {
  const parts = partsOf(chart);
  const picture = document.createElement('canvas');
  const context = picture.getContext('2d');
  if (parts.length === 0 || context === null) return null;
  const ratio = window.devicePixelRatio;
  const style = getComputedStyle(document.body);
  picture.width = Math.max(...parts.map(({ canvas }) => canvas.width)) + 2 * MARGIN * ratio;
  picture.height = parts.reduce(
    (sum, { canvas }) => sum + canvas.height + 3 * LINE * ratio,
    2 * MARGIN * ratio,
  );
  context.fillStyle = style.backgroundColor;
  context.fillRect(0, 0, picture.width, picture.height);
  context.fillStyle = style.color;
  context.textBaseline = 'top';
  let y = MARGIN * ratio;
  for (const { title, canvas, story } of parts) {
    const write = (text: string, weight: number) => {
      context.font = `${weight} ${14 * ratio}px ${style.fontFamily}`;
      context.fillText(text, MARGIN * ratio, y, picture.width - 2 * MARGIN * ratio);
      y += LINE * ratio;
    };
    write(title, 650);
    context.drawImage(canvas, MARGIN * ratio, y);
    y += canvas.height;
    write(story, 400);
    y += LINE * ratio;
  }
  return new Promise((resolve) => picture.toBlob(resolve, 'image/png'));
}
