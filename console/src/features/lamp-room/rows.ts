import type { DeviceNow } from '../../api/schema';
import { groupBy } from '../../groupBy';

/** What devices can be put together by. */
export const GROUPINGS = {
  none: 'not at all',
  place: 'by place',
  kind: 'by kind',
  state: 'by state',
} as const;
export type Grouping = keyof typeof GROUPINGS;

/** Whether an address names one. */
export const isGrouping = (word: string | null): word is Grouping => word !== null && word in GROUPINGS;

/** A row of the lamp room: the heading of a group, some cards beside each other, or one line. */
export type Row =
  | { form: 'heading'; title: string; count: number }
  | { form: 'cards'; devices: DeviceNow[] }
  | { form: 'line'; device: DeviceNow };

const STATES = { live: 'Live', trial: 'In trial', waiting: 'Waiting to be declared' } as const;

function titleOf(device: DeviceNow, by: Grouping): string {
  if (by === 'kind') return device.kind ?? 'Of no kind';
  if (by === 'place') return device.place ?? 'At no place';
  return STATES[device.state ?? 'live'];
}

/** Devices in their order as rows; `columns` cards beside each other, or lines if it is 0. */
export function rows(devices: DeviceNow[], by: Grouping, columns: number): Row[] {
  const laid = (some: DeviceNow[]): Row[] => {
    if (columns === 0) return some.map((device) => ({ form: 'line', device }));
    const starts = Array.from({ length: Math.ceil(some.length / columns) }, (_, row) => row * columns);
    return starts.map((start) => ({ form: 'cards', devices: some.slice(start, start + columns) }));
  };
  if (by === 'none') return laid(devices);
  const groups = groupBy(devices, (device) => titleOf(device, by));
  return [...groups]
    .toSorted(([a], [b]) => a.localeCompare(b))
    .flatMap(([title, some]): Row[] => [{ form: 'heading', title, count: some.length }, ...laid(some)]);
}
