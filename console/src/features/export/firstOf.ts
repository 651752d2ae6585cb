import { open } from '../../api/client';

/** Bytes that are read of a file to show how it begins. */
const ENOUGH = 2_000;
/** Lines that are shown of it. */
const LINES = 12;

/** The first lines of a file below the API: the rest is not asked for. */
export async function firstOf(path: string): Promise<string> {
  const response = await open(path);
  const reader = response.body?.getReader();
  const decoder = new TextDecoder();
  let text = '';
  while (reader && text.length < ENOUGH) {
    const { value, done } = await reader.read();
    if (value) text += decoder.decode(value, { stream: true });
    if (done) return lines(text, true);
  }
  await reader?.cancel();
  return lines(text, false);
}

/** Whole lines, with a sign that there are more. */
function lines(text: string, isWhole: boolean): string {
  const all = text.split(/\r?\n/);
  const whole = isWhole ? all : all.slice(0, -1);
  const shown = whole.slice(0, LINES);
  return shown.length < whole.length || !isWhole ? [...shown, '…'].join('\n') : shown.join('\n').trimEnd();
}
