import type { CoverageGap, DeviceCoverage } from '../../api/schema';
import { fromWall, wallTime } from '../../format/time';

/** How much came of a part of time. */
export type State = 'full' | 'part' | 'lost' | 'none' | 'nothing-expected';

/** A part of a device's time. */
export interface Part {
  state: State;
  expected: number;
  received: number;
  lost: number;
}

/** The parts of a device, in order of time. */
export function partsOf({ expected_each, received_each, lost_each }: DeviceCoverage): Part[] {
  return expected_each.map((expected, i) => {
    const [received, lost] = [received_each[i] ?? 0, lost_each[i] ?? 0];
    return { state: stateOf(expected, received, lost), expected, received, lost };
  });
}

function stateOf(expected: number, received: number, lost: number): State {
  if (expected === 0) return 'nothing-expected';
  if (received >= expected) return 'full';
  if (lost > 0) return 'lost';
  return received === 0 ? 'none' : 'part';
}

/** Received of expected in percent, rounded down: what is not all is never shown as all. */
export const percent = (received: number, expected: number): string =>
  expected === 0 ? '—' : `${Math.floor((received / expected) * 1000) / 10}\u202f%`;

/** The mean of the devices' shares in percent: each counts alike, however often it reports. */
export function meanShare(devices: DeviceCoverage[]): string {
  const shares = devices
    .filter(({ expected }) => expected > 0)
    .map(({ expected, received }) => received / expected);
  if (shares.length === 0) return '—';
  return percent(
    shares.reduce((sum, share) => sum + share, 0),
    shares.length,
  );
}

const ENDS: Record<CoverageGap['ended'], string> = {
  open: 'it goes on',
  restarted: 'its sender started anew',
  'lost-on-the-way': 'it had been sending, and nothing came through',
  reported: 'it reported again',
};

/** What ended a gap, in words. */
export const endOf = ({ ended }: CoverageGap): string => ENDS[ended];

/** The month that lies so many months before the one of a moment, at the site. */
export function monthOf(at: number, back: number, zone: string): { from: number; to: number; name: string } {
  const date = new Date(wallTime(at, zone));
  const first = (more: number) => Date.UTC(date.getUTCFullYear(), date.getUTCMonth() - back + more);
  return {
    from: fromWall(first(0), zone),
    to: fromWall(first(1), zone),
    name: new Date(first(0)).toISOString().slice(0, 7),
  };
}

/** A line for each device and part as CSV (RFC 4180). */
export function csvOf(devices: DeviceCoverage[], starts: string[]): string {
  const quoted = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const lines = devices.flatMap((device) =>
    partsOf(device).map(({ expected, received, lost }, i) =>
      [device.device, quoted(device.name), starts[i] ?? '', expected, received, lost].join(),
    ),
  );
  return ['device,name,from,expected,received,lost', ...lines, ''].join('\r\n');
}
