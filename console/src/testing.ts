import type { Attention, DeviceNow, SignalNow, Site } from './api/schema';

/** A signal for tests. */
export const aSignal = (over: Partial<SignalNow> = {}): SignalNow => ({
  signal: 'level',
  name: 'Level',
  type: 'number',
  symbol: 'm',
  decimals: 2,
  worked_out: false,
  last: { at: '2026-05-01T12:00:10Z', value: 2 },
  ...over,
});

/** A device for tests. */
export const aDevice = (over: Partial<DeviceNow> = {}): DeviceNow => ({
  device: 'tower',
  name: 'Tower',
  presence: 'fresh',
  state: 'live',
  interval_s: 30,
  attention: [],
  signals: [aSignal()],
  ...over,
});

/** A device of a name that needs attention. */
export const needing = (name: string, ...attention: Attention[]): DeviceNow =>
  aDevice({ device: name.toLowerCase(), name, attention, signals: [] });

/** A site for tests. */
export const A_SITE: Site = {
  code: 'marlbeck',
  name: 'Marlbeck',
  zone: 'UTC',
  created_at: '2026-05-01T00:00:00Z',
  arrivals: 0,
  access: {
    role: 'owner',
    may: ['account', 'look', 'note', 'enter', 'answer', 'command', 'set_up', 'record', 'remove', 'manage'],
  },
};
