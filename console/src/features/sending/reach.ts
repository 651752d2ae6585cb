import { kept } from '../../format/kept';

/** Names by which a computer calls itself: nobody else reaches it by them. */
const OWN_NAMES = /(?<![\w.-])(?:localhost|127(?:\.\d{1,3}){3}|\[::1\])(?![\w.-]*\w)/g;

/** Whether a text leads to the computer on which it is read, wherever that is. */
export const leadsHome = (text: string): boolean => text.search(OWN_NAMES) >= 0;

/** A text in which the service is called by a name that others reach it by; as it is if none is known. */
export const reachable = (text: string, host: string): string =>
  host === '' ? text : text.replace(OWN_NAMES, () => host);

/** A host name or address, without scheme, port and path. */
export const isHost = (text: string): boolean =>
  /^(?:[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)(?:\.[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)*$/i.test(text) ||
  /^\[[0-9a-f:.]+\]$/i.test(text);

const host = kept('key-lantern-host');

/** The name by which the field reaches the service, as somebody told this browser; empty if nobody did. */
export const useFieldHost = host.use;

/** Keeps the name by which the field reaches the service. */
export const setFieldHost = host.set;
