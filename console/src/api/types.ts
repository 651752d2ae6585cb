// What the service answers, as its OpenAPI document describes it.

export interface Page<T> {
  items: T[];
  next?: string;
}

export interface Position {
  latitude: number;
  longitude: number;
  altitude_m?: number;
}

export interface Site {
  code: string;
  name: string;
  zone: string;
  position?: Position;
  created_at: string;
  arrivals: number;
}

export type Presence = 'fresh' | 'late' | 'silent' | 'never';
export type ValueType = 'number' | 'flag' | 'text';
export type Value = number | boolean | string;
export type Direction = 'rising' | 'falling' | 'steady';

export interface Device {
  code: string;
  name: string;
  note: string;
  interval_s: number;
  position?: Position;
  created_at: string;
  last_heard_at?: string;
  presence: Presence;
  since?: string;
}

export interface Signal {
  code: string;
  name: string;
  note: string;
  type: ValueType;
  unit?: string;
  symbol: string;
}

export interface NewSignal {
  code: string;
  name?: string;
  type: ValueType;
  unit?: string;
}

export interface NewDevice {
  code?: string;
  name: string;
  note: string;
  interval_s: number;
  position?: Position;
  signals: NewSignal[];
}

export interface DeviceChange {
  name?: string;
  note?: string;
  interval_s?: number;
  position?: Position | null;
}

export interface Key {
  id: number;
  hint: string;
  note: string;
  created_at: string;
  last_used_at?: string;
  revoked_at?: string;
}

export interface IssuedKey extends Key {
  key: string;
}

export interface Removal {
  readings: number;
  at_least: boolean;
  removed: boolean;
}

export interface Reading {
  at: string;
  value: Value;
}

export interface Arrival {
  device: string;
  name: string;
  first_at: string;
  last?: Reading;
  readings: number;
  type: ValueType;
}

export interface Trend {
  direction: Direction;
  per_hour: number;
}

export interface SignalNow {
  signal: string;
  name: string;
  type: ValueType;
  unit?: string;
  symbol: string;
  decimals: number;
  last?: Reading;
  age_s?: number;
  trend?: Trend;
}

export interface Trace {
  signal: string;
  from: string;
  width_s: number;
  means: (number | null)[];
}

export interface DeviceNow {
  device: string;
  name: string;
  presence: Presence;
  since?: string;
  last_heard_at?: string;
  interval_s: number;
  signals: SignalNow[];
  trace?: Trace;
}

export interface Bucket {
  start_ms: number;
  min: number;
  max: number;
  mean: number;
  count: number;
}

export interface SummarySet {
  from: string;
  to: string;
  width_s: number;
  buckets: Bucket[];
}

export interface Session {
  person: string;
  role: string;
  expires_at: string;
  csrf?: string;
}

export interface LiveReading {
  device: string;
  signal: string;
  at: string;
  value: Value;
}

export interface ReadingsEvent {
  readings: LiveReading[];
  thinned: boolean;
}

export interface PresenceEvent {
  device: string;
  presence: Presence;
  since?: string;
}

export interface ChangeEvent {
  what: 'site' | 'device' | 'device-removed' | 'signal' | 'key' | 'arrival';
  device?: string;
}
