/** Devices that can be made at once. */
const MOST = 500;

/** Names in which `{1..4}` stands for four; undefined if what stands in braces is no range of 1 to 500. */
export function expand(name: string): string[] | undefined {
  const braces = /^(.*)\{([^{}]*\.\.[^{}]*)\}(.*)$/.exec(name);
  if (!braces) return [name];
  const [, before = '', inside = '', after = ''] = braces;
  const range = /^(\d+)\.\.(\d+)$/.exec(inside);
  if (!range) return undefined;
  const [first, last] = [Number(range[1]), Number(range[2])];
  const count = last - first + 1;
  if (count < 1 || count > MOST) return undefined;
  return Array.from({ length: count }, (_, i) => `${before}${first + i}${after}`);
}
