/** Names in which `{1..4}` stands for four. */
export function expand(name: string): string[] {
  const match = /^(.*)\{(\d+)\.\.(\d+)\}(.*)$/.exec(name);
  if (!match) return [name];
  const [, before = '', first = '', last = '', after = ''] = match;
  const count = Number(last) - Number(first) + 1;
  if (count < 1 || count > 100) return [name];
  return Array.from({ length: count }, (_, i) => `${before}${Number(first) + i}${after}`);
}
