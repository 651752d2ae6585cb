/** A second press within so many milliseconds makes it a double one. */
const DOUBLE = 250;
/** The pointer moves so many pixels at most during a press. */
const STILL = 4;

/** Listens for single presses: not for drags, and not for double presses. Gives how to stop. */
export function onPress(element: HTMLElement, press: () => void): () => void {
  let begun: { x: number; y: number } | undefined;
  let waiting: ReturnType<typeof setTimeout> | undefined;
  const down = ({ clientX, clientY }: MouseEvent) => {
    begun = { x: clientX, y: clientY };
  };
  const click = ({ clientX, clientY, detail }: MouseEvent) => {
    clearTimeout(waiting);
    const isStill = begun && Math.hypot(clientX - begun.x, clientY - begun.y) <= STILL;
    if (isStill && detail < 2) waiting = setTimeout(press, DOUBLE);
  };
  element.addEventListener('mousedown', down);
  element.addEventListener('click', click);
  return () => {
    clearTimeout(waiting);
    element.removeEventListener('mousedown', down);
    element.removeEventListener('click', click);
  };
}
