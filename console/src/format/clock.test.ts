import { expect, it, vi } from 'vitest';
import { serviceNow, setClock } from './clock';

/** The service's time when it is asked, whether it is well or not. */
it.each([200, 503])('goes by the clock of the service, with status %d', async (status) => {
  const now = '2031-05-01T12:00:00Z';
  const body = JSON.stringify({ status: status === 200 ? 'ok' : 'failing', version: '', now, parts: [] });
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })));
  await setClock();
  expect(Math.abs(serviceNow() - Date.parse(now))).toBeLessThan(5_000);
  vi.unstubAllGlobals();
});
