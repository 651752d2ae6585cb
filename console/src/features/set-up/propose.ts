/** The code the service would make from a name. */
export function propose(name: string): string {
  const words = name
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean);
  return words.join('-').slice(0, 64).replace(/-+$/, '');
}
