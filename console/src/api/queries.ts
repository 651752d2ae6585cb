import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { all, api, setCsrf } from './client';
import { liveValues } from './liveValues';
import type {
  MqttSession,
  Arrival,
  Command,
  Commissioning,
  Comparison,
  Contact,
  Device,
  DeviceNow,
  Follower,
  Job,
  Joining,
  Key,
  Kind,
  Link,
  MeaningVersion,
  PresenceChange,
  QualityCounts,
  Recipes,
  Removed,
  RetentionState,
  Revision,
  Session,
  Signal,
  SignalMeaning,
  Site,
  Storage,
  WaitingDevice,
  Why,
} from './schema';
import type { Page } from './page';

export const part = encodeURIComponent;

/** Path of a device below the API. */
export const devicePath = (site: string, device: string) => `/sites/${part(site)}/devices/${part(device)}`;

export const session = () =>
  queryOptions({
    queryKey: ['session'],
    queryFn: async () => {
      const me = (await api.get<Session | undefined>('/me')) ?? null;
      setCsrf(me?.csrf);
      return me;
    },
    staleTime: Infinity,
    retry: false,
  });

export const setUpState = () =>
  queryOptions({ queryKey: ['set-up'], queryFn: () => api.get<{ needed: boolean }>('/set-up') });

export const sites = () => queryOptions({ queryKey: ['sites'], queryFn: () => all<Site>('/sites') });

export const site = (code: string) =>
  queryOptions({ queryKey: ['site', code], queryFn: () => api.get<Site>(`/sites/${part(code)}`) });

export const siteNow = (code: string) =>
  queryOptions({
    queryKey: ['now', code],
    queryFn: async () => {
      const asked = Date.now();
      const devices = await all<DeviceNow>(`/sites/${part(code)}/now?trace=true&limit=500`);
      liveValues(code).answered(asked);
      return devices;
    },
    // Values come live; traces also move on when nothing comes.
    refetchInterval: 60_000,
  });

/** A device as it is now; null once it was removed. */
export const deviceNow = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['device-now', siteCode, device],
    queryFn: async (): Promise<DeviceNow | null> => {
      const asked = Date.now();
      const now = await api.get<DeviceNow>(`${devicePath(siteCode, device)}/now`);
      liveValues(siteCode).answered(asked, device);
      return now;
    },
  });

export const device = (siteCode: string, code: string) =>
  queryOptions({
    queryKey: ['device', siteCode, code],
    queryFn: () => api.get<Device>(devicePath(siteCode, code)),
  });

export const signals = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['signals', siteCode, device],
    queryFn: () => all<Signal>(`${devicePath(siteCode, device)}/signals?limit=500`),
  });

/** The last commands to a device, newest first. */
export const commands = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['commands', siteCode, device],
    queryFn: async () =>
      (await api.get<Page<Command>>(`${devicePath(siteCode, device)}/commands?limit=20`)).items,
  });

/** How the messages of a device come through. */
export const link = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['links', siteCode, device, 'own'],
    queryFn: () => api.get<Link>(`${devicePath(siteCode, device)}/link`),
    refetchInterval: 30_000,
  });

/** The devices that a device carries. */
export const carried = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['links', siteCode, device],
    queryFn: () => all<Link>(`${devicePath(siteCode, device)}/carried`),
    // Messages come and are lost as time goes on.
    refetchInterval: 10_000,
  });

/** The joining window of a device. */
export const joining = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['joining', siteCode, device],
    queryFn: () => api.get<Joining>(`${devicePath(siteCode, device)}/joining`),
  });

/** Path of a site below the API. */
export const sitePath = (site: string) => `/sites/${part(site)}`;

/** Path of a kind below the API. */
export const kindPath = (site: string, kind: string) => `${sitePath(site)}/kinds/${part(kind)}`;

/** Path of a signal below the API. */
export const signalPath = (site: string, device: string, signal: string) =>
  `${devicePath(site, device)}/signals/${part(signal)}`;

/** What a signal's values mean. */
export const meaning = (siteCode: string, device: string, signal: string) =>
  queryOptions({
    queryKey: ['meaning', siteCode, device, signal],
    queryFn: () => api.get<SignalMeaning>(`${signalPath(siteCode, device, signal)}/meaning`),
  });

/** The versions of that, newest first. */
export const meaningVersions = (siteCode: string, device: string, signal: string) =>
  queryOptions({
    queryKey: ['meaning', siteCode, device, signal, 'versions'],
    queryFn: async () =>
      (
        await api.get<Page<MeaningVersion>>(
          `${signalPath(siteCode, device, signal)}/meaning/versions?limit=20`,
        )
      ).items,
  });

/** The last jobs of a site, asked for again and again while one is not over. */
export const jobs = (siteCode: string) =>
  queryOptions({
    queryKey: ['jobs', siteCode],
    queryFn: async () => (await api.get<Page<Job>>(`/sites/${part(siteCode)}/jobs?limit=50`)).items,
    refetchInterval: ({ state }) => (state.data?.some((job) => job.ended_at === undefined) ? 500 : false),
  });

/** How signals compare. */
export const comparison = (siteCode: string, query: string) =>
  queryOptions({
    queryKey: ['comparison', siteCode, query],
    queryFn: () => api.get<Comparison>(`/sites/${part(siteCode)}/compare?${query}`),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What was removed and can be brought back, the last first. */
export const removed = (siteCode: string) =>
  queryOptions({
    queryKey: ['removed', siteCode],
    queryFn: () => all<Removed>(`/sites/${part(siteCode)}/removed`),
  });

/** Sessions of clients that speak MQTT, a page of them. */
export const mqttSessions = (siteCode: string, after?: string) =>
  queryOptions({
    queryKey: ['mqtt-sessions', siteCode, after],
    queryFn: () => {
      const from = after === undefined ? '' : `&after=${encodeURIComponent(after)}`;
      return api.get<Page<MqttSession>>(`${sitePath(siteCode)}/mqtt-sessions?limit=50${from}`);
    },
    placeholderData: keepPreviousData,
  });

/** Keys of a device or, without one, of the site itself. */
export const keys = (siteCode: string, device?: string) =>
  queryOptions({
    queryKey: ['keys', siteCode, device ?? ''],
    queryFn: () =>
      all<Key>(`${device === undefined ? sitePath(siteCode) : devicePath(siteCode, device)}/keys`),
  });

export const arrivals = (siteCode: string, ignored = false) =>
  queryOptions({
    queryKey: ['arrivals', siteCode, ignored],
    queryFn: () => all<Arrival>(`/sites/${part(siteCode)}/arrivals?ignored=${ignored}`),
  });

export const waitingDevices = (siteCode: string) =>
  queryOptions({
    queryKey: ['arrivals', siteCode, 'devices'],
    queryFn: () => all<WaitingDevice>(`/sites/${part(siteCode)}/waiting`),
  });

/** The last contacts of a device, newest first. */
export const contacts = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['contacts', siteCode, device],
    queryFn: async () =>
      (await api.get<Page<Contact>>(`${devicePath(siteCode, device)}/contacts?limit=100`)).items,
  });

/** The last contacts with unknown keys, newest first. */
export const unknownContacts = () =>
  queryOptions({
    queryKey: ['contacts', 'unknown'],
    queryFn: async () => (await api.get<Page<Contact>>('/contacts/unknown?limit=50')).items,
  });

export const kinds = (siteCode: string) =>
  queryOptions({ queryKey: ['kinds', siteCode], queryFn: () => all<Kind>(`/sites/${part(siteCode)}/kinds`) });

export const kind = (siteCode: string, code: string) =>
  queryOptions({
    queryKey: ['kinds', siteCode, code],
    queryFn: () => api.get<Kind>(kindPath(siteCode, code)),
  });

export const revisions = (siteCode: string, code: string) =>
  queryOptions({
    queryKey: ['kinds', siteCode, code, 'revisions'],
    queryFn: () => all<Revision>(`${kindPath(siteCode, code)}/revisions`),
  });

export const followers = (siteCode: string, code: string) =>
  queryOptions({
    queryKey: ['kinds', siteCode, code, 'devices'],
    queryFn: () => all<Follower>(`${kindPath(siteCode, code)}/devices`),
  });

export const commissioning = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['commissioning', siteCode, device],
    queryFn: () => api.get<Commissioning>(`${devicePath(siteCode, device)}/commissioning`),
    // Steps tick as readings come and time goes on.
    refetchInterval: 5_000,
  });

export const recipes = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['recipes', siteCode, device],
    queryFn: () => api.get<Recipes>(`${devicePath(siteCode, device)}/recipes`),
  });

export const presenceChanges = (siteCode: string, device: string) =>
  queryOptions({
    queryKey: ['presence', siteCode, device],
    queryFn: async () =>
      (await api.get<Page<PresenceChange>>(`${devicePath(siteCode, device)}/presence?limit=20`)).items,
  });

/** How many readings from a time on are good, and why others are not; `path` is the signal's. */
export const quality = (path: string, from: number) =>
  queryOptions({
    queryKey: ['quality', path, from],
    queryFn: () => api.get<QualityCounts>(`${path}/quality?from=${from / 1000}`),
  });

/** Why nothing is seen of a device or a signal; asked each time, as it is about now. */
export const why = (site: string, device: string, signal?: string) =>
  queryOptions({
    queryKey: ['why', site, device, signal],
    queryFn: () =>
      api.get<Why>(
        signal
          ? `${devicePath(site, device)}/signals/${encodeURIComponent(signal)}/why`
          : `${devicePath(site, device)}/why`,
      ),
    gcTime: 0,
  });

/** How long readings of a signal are kept; `path` is the signal's. */
export const retention = (path: string) =>
  queryOptions({
    queryKey: ['retention', path],
    queryFn: () => api.get<RetentionState>(`${path}/retention`),
  });

/** How much room everything takes. */
export const storage = () =>
  queryOptions({
    queryKey: ['storage'],
    queryFn: () => api.get<Storage>('/storage'),
    refetchInterval: 60_000,
  });
