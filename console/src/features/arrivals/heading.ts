const ONES = ['No', 'One', 'Two', 'Three', 'Four'];

const counted = (n: number, one: string, many: string) => `${ONES[n] ?? n} ${n === 1 ? one : many}`;

/** Says how many devices and names wait: "One device waits, and two names". */
export function heading(devices: number, names: number): string {
  if (devices === 0) return `${counted(names, 'name waits', 'names wait')} to be claimed`;
  const first = counted(devices, 'device waits', 'devices wait');
  if (names === 0) return `${first} to be claimed`;
  return `${first} to be claimed, and ${counted(names, 'name', 'names').toLowerCase()}`;
}
