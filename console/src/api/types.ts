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

export type DeviceState = 'waiting' | 'trial' | 'live';

/** A decoder as docs/reference/decoders.md describes it. */
export type DecoderForm = Record<string, unknown> & { form: string };

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
  state: DeviceState;
  trial_since?: string;
  kind?: string;
  revision?: number;
  decoder?: DecoderForm;
  late_after?: number;
  silent_after?: number;
  carrier?: string;
  identity?: string;
  keeps_payload: boolean;
  clock_offset_s?: number;
  topics?: string[];
  commands?: CommandDeclaration[];
  joining_until?: string;
  connection?: Connection;
}

/** The connection of a device whose protocol has one. */
export interface Connection {
  is_up: boolean;
  since: string;
  protocol: string;
  from: string;
  ended?: string;
}

export interface CommandArgument {
  name: string;
  type: ValueType;
  unit?: string | undefined;
  low?: number | undefined;
  high?: number | undefined;
  choices?: string[] | undefined;
}

export interface CommandDeclaration {
  name: string;
  title?: string;
  arguments?: CommandArgument[];
  timeout_s?: number;
  standing?: boolean;
}

export type CommandStage =
  'waiting' | 'delivered' | 'done' | 'refused' | 'unanswered' | 'uncollected' | 'replaced' | 'withdrawn';

export interface Command {
  id: number;
  name: string;
  arguments: Record<string, Value>;
  given_by: string;
  given_at: string;
  stage: CommandStage;
  delivered_at?: string;
  ended_at?: string;
  answer?: string;
  expires_at?: string;
}

export interface CommandEvent {
  device: string;
  command: Command;
}

export interface LinkCounts {
  received: number;
  lost: number;
  repeated: number;
  restarted: number;
  delivery_ratio?: number;
}

export interface LinkValue {
  signal: string;
  value: number;
  symbol: string;
  at: string;
}

/** How the messages of a device come through. */
export interface Link {
  device: string;
  name: string;
  identity?: string;
  presence: Presence;
  last_heard_at?: string;
  battery?: LinkValue;
  quality?: LinkValue;
  day: LinkCounts;
  hours: (LinkCounts & { from: string })[];
}

export interface Joining {
  until?: string;
  kind?: string;
}

export interface Signal {
  code: string;
  name: string;
  note: string;
  type: ValueType;
  unit?: string;
  symbol: string;
  low?: number;
  high?: number;
  reserved: boolean;
  role?: SignalRole;
  meaning?: Meaning;
  also?: string[];
}

/** What a signal's values mean, as docs/reference/conversions.md describes it. */
export interface Meaning {
  conversion?: Converting;
  formula?: string;
  screen?: Screen;
  others_within_s?: number;
}

export interface Converting {
  from?: string;
  steps: ConversionStep[];
}

/** A step of a conversion; which fields it has depends on the step. */
export type ConversionStep = { step: string } & Record<string, unknown>;

export interface Bounds {
  low?: number;
  high?: number;
}

export interface Screen {
  markers?: number[];
  possible?: Bounds;
  expected?: Bounds;
  fastest_per_s?: number;
  frozen_after_s?: number;
  outlier?: { window: number; threshold: number };
  while?: { signal: string; is: boolean };
  position?: {
    latitude: string;
    longitude: string;
    fastest_m_per_s?: number;
    fix?: { signal: string; at_least: number };
  };
  late_after_s?: number;
}

export interface SignalMeaning {
  version: number;
  meaning?: Meaning;
  made_by?: string;
  made_at?: string;
  needed_by?: string[];
}

export interface MeaningVersion {
  version: number;
  meaning?: Meaning;
  unit?: string;
  made_by: string;
  made_at: string;
}

export interface TriedMeaning {
  wrong?: { detail: string; character?: number; step?: number };
  raw?: number;
  steps?: { input: number; output?: number; symbol?: string; why?: string }[];
  others?: { signal: string; value?: Value; symbol?: string; at?: string; is_too_old: boolean }[];
  value?: Value;
  unit?: string;
  quality?: 'suspect' | 'rejected';
  cause?: string;
  remembers: boolean;
}

/** How many readings of a time are good, and what was caught of the others. */
export interface QualityCounts {
  readings: number;
  good: number;
  caught: Caught[];
  /** To when they were counted, if there were too many. */
  until?: string;
}

export interface Caught {
  quality: 'suspect' | 'rejected';
  cause: string;
  count: number;
}

export interface DryRunResult {
  from: string;
  to: string;
  readings: number;
  changed: number;
  good: number;
  good_now: number;
  caught: Caught[];
  examples: Reading[];
  curve: Reading[];
  curve_now: Reading[];
}

export interface Job {
  id: number;
  signal: string;
  state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';
  at?: string;
  done: number;
  total?: number;
  from: string;
  to?: string;
  made_by: string;
  made_at: string;
  ended_at?: string;
  detail?: string;
}

export interface Line {
  slope: number;
  intercept: number;
  residual: number;
}

/** What a signal said and what was right, both in its unit. */
export interface CalibrationPair {
  said: number;
  right: number;
}

export interface Calibration {
  line: Line;
  /** The signal's meaning with the calibration as the last step of its conversion. */
  meaning: Meaning;
}

export interface ComparedFigures {
  bias: number;
  spread: number;
  rms: number;
  least: number;
  greatest: number;
  correlation?: number;
  lag_s?: number;
  correlation_at_lag?: number;
  line?: Line;
}

export interface Compared {
  signal: string;
  shifted_s: number;
  pairs: number;
  of_reference: number;
  figures?: ComparedFigures;
  sample: { at_ms: number; reference: number; other: number }[];
  differences: { start_ms: number; min: number; mean: number; max: number }[];
}

export interface Comparison {
  reference: string;
  unit?: string;
  /** How that unit is shown. */
  symbol?: string;
  from: string;
  to: string;
  tolerance_s: number;
  others: Compared[];
}

/** What a signal tells of the link of its device. */
export type SignalRole = 'sequence' | 'battery' | 'link';

export interface NewSignal {
  code: string;
  name?: string;
  note?: string;
  type: ValueType;
  unit?: string;
  low?: number;
  high?: number;
  reserved?: boolean;
}

export interface NewDevice {
  code?: string;
  name: string;
  note: string;
  interval_s?: number;
  position?: Position;
  signals: NewSignal[];
  kind?: string;
}

export interface DeviceChange {
  name?: string;
  note?: string;
  interval_s?: number;
  position?: Position | null;
  decoder?: DecoderForm | null;
  late_after?: number | null;
  silent_after?: number | null;
  keeps_payload?: boolean;
  topics?: string[];
  commands?: CommandDeclaration[];
}

export type Grant = 'send' | 'read' | 'command';

export interface Key {
  id: number;
  hint: string;
  note: string;
  grants: Grant[];
  created_at: string;
  expires_at?: string;
  last_used_at?: string;
  last_used_from?: string;
  revoked_at?: string;
}

export interface IssuedKey extends Key {
  key: string;
  address: string;
  mqtt_address?: string;
}

export interface Removal {
  readings: number;
  at_least: boolean;
  removed: boolean;
}

export interface Reading {
  at: string;
  value: Value;
  quality?: 'suspect' | 'rejected';
  cause?: string;
  raw?: Value;
}

export interface Arrival {
  device: string;
  name: string;
  first_at: string;
  last: Reading[];
  readings: number;
  type: ValueType;
  unit?: string;
  ignored_at?: string;
}

export interface WaitingDevice {
  code: string;
  identity?: string;
  carrier?: string;
  first_at: string;
  last_heard_at?: string;
  presence: Presence;
  names: Arrival[];
}

export interface Claimed {
  signal: string;
  moved: number;
  left: number;
}

export interface RefusedValue {
  name: string;
  code: string;
  detail: string;
  remedy: string;
}

export interface Remark {
  code: string;
  detail: string;
}

export interface Contact {
  at: string;
  protocol: string;
  topic?: string;
  from: string;
  bytes: number;
  dialect?: string;
  outcome: 'kept' | 'partly' | 'refused';
  times: number;
  kept: number;
  repeated?: number;
  corrected?: number;
  ignored?: number;
  waiting?: string[];
  refused?: RefusedValue[];
  refused_count?: number;
  remarks?: Remark[];
  payload?: string;
}

export interface ContactEvent {
  device: string;
  contact: Contact;
}

export interface KindDescription {
  code?: string;
  name: string;
  note?: string;
  interval_s?: number;
  late_after?: number;
  silent_after?: number;
  decoder?: DecoderForm;
  signals?: NewSignal[];
}

export interface Revision {
  revision: number;
  made_by: string;
  made_at: string;
  description: KindDescription;
}

export interface Kind extends Revision {
  code: string;
  devices: number;
}

export interface Follower {
  device: string;
  name: string;
  revision: number;
}

export interface Difference {
  path: string;
  from?: string;
  to?: string;
}

export interface Differences {
  differences: Difference[];
  beside?: string[];
  done: boolean;
}

export interface Step {
  code: string;
  title: string;
  state: 'open' | 'passed' | 'failed';
  finding: string;
}

export interface DummyTest {
  signal: string;
  expected?: number;
  tolerance?: number;
  asked_at?: string;
  passed_at?: string;
  last?: Value;
}

export interface Soak {
  from: string;
  to: string;
  is_over: boolean;
  expected: number;
  received: number;
  longest_gap_s: number;
  gap_from: string;
}

export interface Commissioning {
  device: string;
  name: string;
  state: DeviceState;
  trial_since?: string;
  at: string;
  steps: Step[];
  dummies: DummyTest[];
  soak?: Soak;
  trial_readings: number;
  is_ready: boolean;
  verdict: string;
}

export interface Recipe {
  code: string;
  title: string;
  hint: string;
  file: string;
  text: string;
}

export interface Recipes {
  address: string;
  recipes: Recipe[];
}

export interface TriedValue {
  name: string;
  raw: Value;
  at?: string;
  device?: string;
  unit?: string;
  becomes: 'reading' | 'arrival' | 'ignored' | 'refused';
  refused?: RefusedValue;
}

export interface Tried {
  dialect: string;
  values: TriedValue[];
  count: number;
  refused: RefusedValue[];
  remarks: Remark[];
}

export interface PresenceChange {
  at: string;
  presence: Presence;
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
  state: DeviceState;
  clock_offset_s?: number;
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

/** How long readings and summaries are kept, in seconds; absent for ever. */
export interface Retention {
  raw_s?: number;
  minute_s?: number;
  hour_s?: number;
  day_s?: number;
}

export interface RetentionState {
  own?: Retention;
  effective: Retention;
}

export interface RetentionEffect {
  signals: number;
  readings: number;
  summarized: number;
  bytes: number;
  set: boolean;
}

export interface Storage {
  used_bytes: number;
  budget_bytes?: number;
  nearly_full: boolean;
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
  connection?: Connection;
}

export interface ChangeEvent {
  what:
    | 'site'
    | 'device'
    | 'device-removed'
    | 'signal'
    | 'key'
    | 'arrival'
    | 'kind'
    | 'commissioning'
    | 'hand-reading'
    | 'readings'
    | 'history';
  device?: string;
}
