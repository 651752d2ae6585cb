import { Problem } from './problem';
import type { Page } from './page';
import type { Health } from './schema';

const BASE = '/api/v1';

/** Proves to the service that a change came from this page; known after logging in. */
let csrf = '';

/** Keeps the CSRF token of the session. */
export function setCsrf(token: string | undefined): void {
  csrf = token ?? '';
}

/** What is being read; given up when the session ends. */
let reading = new AbortController();

/** Gives up everything that is being read. */
export function abandonReading(): void {
  reading.abort();
  reading = new AbortController();
}

async function request(method: string, path: string, body?: unknown, mayBeUnwell = false): Promise<Response> {
  const headers: Record<string, string> = { Accept: 'application/json' };
  if (method !== 'GET') headers['X-CSRF-Token'] = csrf;
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  let response: Response;
  try {
    response = await fetch(BASE + path, {
      method,
      headers,
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(method === 'GET' ? { signal: reading.signal } : {}),
    });
  } catch {
    throw new Problem(
      0,
      'not-connected',
      'The service does not answer.',
      'Check that it runs; this page tries again.',
    );
  }
  if (response.ok || (mayBeUnwell && response.status === 503)) return response;
  const problem = (await response.json().catch(() => ({}))) as Partial<
    Record<'code' | 'detail' | 'remedy', string>
  >;
  throw new Problem(
    response.status,
    problem.code ?? 'unreadable',
    problem.detail ?? `The service answered ${response.status}.`,
    problem.remedy ?? 'Try again.',
  );
}

/** What is at a path, to be read piece by piece. */
export const open = (path: string): Promise<Response> => request('GET', path);

/** How the service is doing; it says with a status of its own when it is not well. */
export const readHealth = async (): Promise<Health> =>
  (await (await request('GET', '/health', undefined, true)).json()) as Health;

async function json<T>(method: string, path: string, body?: unknown): Promise<T> {
  const response = await request(method, path, body);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

export const api = {
  get: <T>(path: string) => json<T>('GET', path),
  post: <T>(path: string, body?: unknown) => json<T>('POST', path, body),
  put: <T>(path: string, body?: unknown) => json<T>('PUT', path, body),
  patch: <T>(path: string, body: unknown) => json<T>('PATCH', path, body),
  delete: <T>(path: string) => json<T>('DELETE', path),
};

/** Items of a list that a page holds; none has so many, and a loop without an end would ask for ever. */
const MOST = 20_000;

/** All items of a paged list. */
export async function all<T>(path: string): Promise<T[]> {
  const items: T[] = [];
  let after: string | undefined;
  do {
    const sign = path.includes('?') ? '&' : '?';
    const page = await api.get<Page<T>>(
      after === undefined ? path : `${path}${sign}after=${encodeURIComponent(after)}`,
    );
    items.push(...page.items);
    after = page.next;
    if (items.length > MOST) {
      throw new Problem(
        0,
        'too-many',
        `There are more than ${MOST} of them, more than a page can show.`,
        'Use the client: it reads page by page.',
      );
    }
  } while (after !== undefined);
  return items;
}
