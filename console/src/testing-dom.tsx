import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, render, screen, waitFor } from '@testing-library/react';
import type { ReactElement } from 'react';
import { createMemoryRouter, RouterProvider, useLocation } from 'react-router';
import { expect, vi } from 'vitest';
import type { Site } from './api/schema';
import { SiteContext } from './components/siteContext';
import { A_SITE } from './testing';

/** A request as the service would get it. */
export interface Asked {
  method: string;
  path: string;
  body: unknown;
}

/** What the service answers to `METHOD /path`; a number is the status of a refusal, and a function is told
 * what was sent. */
export type Answers = Record<string, unknown>;

/** A refusal with a code of its own. */
export class Refused {
  constructor(
    readonly status: number,
    readonly code: string,
  ) {}
}

/** What the service says when it refuses. */
export const REFUSAL = { code: 'no-good', detail: 'That cannot be so.', remedy: 'Say something else.' };

/** Puts answers in place of the service, and keeps what it is asked. */
export function answering(answers: Answers): Asked[] {
  const asked: Asked[] = [];
  const fetch = vi.fn((url: string, init?: RequestInit) => {
    const method = init?.method ?? 'GET';
    const path = url.replace('/api/v1', '');
    const body: unknown = typeof init?.body === 'string' ? JSON.parse(init.body) : undefined;
    asked.push({ method, path, body });
    const found = answers[`${method} ${path}`] ?? answers[`${method} ${path.split('?')[0] ?? ''}`];
    const answer: unknown = typeof found === 'function' ? (found as (body: unknown) => unknown)(body) : found;
    if (answer instanceof Refused) {
      const refusal = { ...REFUSAL, code: answer.code };
      return Promise.resolve(new Response(JSON.stringify(refusal), { status: answer.status }));
    }
    const isRefused = typeof answer === 'number' || answer === undefined;
    const status = answer === undefined ? 404 : typeof answer === 'number' ? answer : 200;
    return Promise.resolve(new Response(JSON.stringify(isRefused ? REFUSAL : answer), { status }));
  });
  vi.stubGlobal('fetch', fetch);
  return asked;
}

/** Where the router is. */
function Where() {
  const { pathname, search } = useLocation();
  return <output data-testid="where">{pathname + search}</output>;
}

/** An address as the router keeps it, with what a link gave along. */
function entry(at: string, state: unknown) {
  const [address = '/', hash] = at.split('#');
  const [pathname = '/', search] = address.split('?');
  return {
    pathname,
    search: search === undefined ? '' : `?${search}`,
    hash: hash === undefined ? '' : `#${hash}`,
    state,
  };
}

/** Draws something of a site at an address. */
export function show(
  element: ReactElement,
  {
    at = '/',
    route = '*',
    site = A_SITE,
    state,
  }: { at?: string; route?: string; site?: Site; state?: unknown } = {},
) {
  const client = new QueryClient({
    defaultOptions: { queries: { retry: false }, mutations: { retry: false } },
  });
  const page = (shown: ReactElement) => (
    <>
      {shown}
      <Where />
    </>
  );
  const routes = [
    { path: route, element: page(element) },
    ...(route === '*' ? [] : [{ path: '*', element: page(<p>elsewhere</p>) }]),
  ];
  return render(
    <QueryClientProvider client={client}>
      <SiteContext value={site}>
        <RouterProvider router={createMemoryRouter(routes, { initialEntries: [entry(at, state)] })} />
      </SiteContext>
    </QueryClientProvider>,
  );
}

/** The address the page has led to. */
export const where = (): string => screen.getByTestId('where').textContent;

/** Types into a field. */
export const type = (label: string | RegExp, text: string): void => {
  fireEvent.change(screen.getByLabelText(label), { target: { value: text } });
};

/** Chooses in a list that opens, as soon as it is there. */
export const choose = async (label: string | RegExp, choice: string | RegExp): Promise<void> => {
  // A list that was open a moment ago has the same label.
  fireEvent.mouseDown(screen.getByLabelText(label, { selector: ':not(ul)' }));
  fireEvent.click(await screen.findByRole('option', { name: choice }));
};

/** Presses a button. */
export const press = (name: string | RegExp): void => {
  fireEvent.click(screen.getByRole('button', { name }));
};

/** Whether a button cannot be pressed. */
export const isDisabled = (name: string | RegExp): boolean =>
  screen.getByRole<HTMLButtonElement>('button', { name }).disabled;

/** Waits for a request, and gives its body. */
export async function sent(asked: Asked[], method: string, path: string): Promise<unknown> {
  const found = () => asked.find((one) => one.method === method && one.path === path);
  await waitFor(() => expect(found(), `${method} ${path}`).toBeDefined());
  return found()?.body;
}
