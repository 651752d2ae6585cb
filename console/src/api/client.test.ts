import { afterEach, expect, test, vi } from 'vitest';
import { abandonReading, all, api, setCsrf } from './client';

interface Call {
  path: string;
  init: RequestInit;
}

/** Answers one request after the other. */
function answers(...responses: (() => Response | Promise<Response>)[]): Call[] {
  const calls: Call[] = [];
  vi.stubGlobal('fetch', (path: string, init: RequestInit) => {
    calls.push({ path, init });
    const next = responses[calls.length - 1] ?? responses.at(-1);
    return Promise.resolve().then(() => next?.());
  });
  return calls;
}
const ok = (body: unknown) => () => new Response(JSON.stringify(body));
const headers = (call: Call | undefined) => call?.init.headers as Record<string, string>;

afterEach(() => {
  vi.unstubAllGlobals();
  setCsrf(undefined);
});

test('a change proves that it is of this page, and what is read does not', async () => {
  const calls = answers(ok({}));
  setCsrf('proof');
  await api.get('/sites');
  await api.post('/sites', { name: 'Marlbeck' });
  await api.delete('/sites/marlbeck');
  expect(calls.map((call) => [call.path, call.init.method, headers(call)['X-CSRF-Token']])).toEqual([
    ['/api/v1/sites', 'GET', undefined],
    ['/api/v1/sites', 'POST', 'proof'],
    ['/api/v1/sites/marlbeck', 'DELETE', 'proof'],
  ]);
  expect(calls[1]?.init.body).toBe('{"name":"Marlbeck"}');
  expect(calls.map((call) => headers(call)['Content-Type'])).toEqual([
    undefined,
    'application/json',
    undefined,
  ]);
});

test.each([
  [
    'what the service says',
    () =>
      new Response('{"code":"taken","detail":"There is one.","remedy":"Choose another."}', { status: 409 }),
    { status: 409, code: 'taken', message: 'There is one.' },
  ],
  [
    'something that stands in front of it',
    () => new Response('<html>', { status: 502 }),
    { status: 502, code: 'unreadable', message: 'The service answered 502.' },
  ],
  [
    'nothing',
    () => Promise.reject(new TypeError('refused')),
    { status: 0, code: 'not-connected', message: 'The service does not answer.' },
  ],
])('%s becomes a problem', async (_, response, problem) => {
  answers(response);
  await expect(api.get('/sites')).rejects.toMatchObject(problem);
});

test('an answer without a body is none', async () => {
  answers(() => new Response(null, { status: 204 }));
  expect(await api.put('/x')).toBeUndefined();
});

test('a list is read page by page', async () => {
  const calls = answers(ok({ items: [1, 2], next: 'a b' }), ok({ items: [3], next: 'c' }), ok({ items: [] }));
  expect(await all('/things?of=x')).toEqual([1, 2, 3]);
  expect(calls.map((call) => call.path)).toEqual([
    '/api/v1/things?of=x',
    '/api/v1/things?of=x&after=a%20b',
    '/api/v1/things?of=x&after=c',
  ]);
});

test('a list without an end is given up', async () => {
  const calls = answers(ok({ items: Array(9000).fill(0), next: 'again' }));
  await expect(all('/things')).rejects.toMatchObject({ code: 'too-many' });
  expect(calls.length).toBe(3);
});

test('what is being read is given up with the session, and what is changed is not', () => {
  const calls = answers(() => new Promise<Response>(() => undefined));
  void api.get('/sites').catch(() => undefined);
  void api.post('/sites').catch(() => undefined);
  abandonReading();
  expect(calls.map((call) => call.init.signal?.aborted)).toEqual([true, undefined]);
  void api.get('/sites').catch(() => undefined);
  expect(calls[2]?.init.signal?.aborted).toBe(false);
});
