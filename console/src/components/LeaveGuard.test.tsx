import { act, cleanup, fireEvent, render, screen } from '@testing-library/react';
import { createMemoryRouter, RouterProvider } from 'react-router';
import { afterEach, expect, test } from 'vitest';
import { LeaveGuard } from './LeaveGuard';

afterEach(cleanup);

function show(when: boolean) {
  const router = createMemoryRouter(
    [
      {
        path: '/form',
        element: (
          <>
            <LeaveGuard when={when} />
            the form
          </>
        ),
      },
      { path: '/other', element: 'another page' },
    ],
    { initialEntries: ['/form'] },
  );
  render(<RouterProvider router={router} />);
  return router;
}

const leavesTab = () => {
  const event = new Event('beforeunload', { cancelable: true });
  window.dispatchEvent(event);
  return !event.defaultPrevented;
};

test('a form with changes asks before it is left, and stays if that is wanted', async () => {
  const router = show(true);
  await act(() => router.navigate('/other'));
  expect(screen.getByText('the form', { exact: false })).toBeDefined();
  fireEvent.click(screen.getByRole('button', { name: 'Stay' }));
  expect(router.state.location.pathname).toBe('/form');
  expect(leavesTab()).toBe(false);
});

test('it is left if that is wanted', async () => {
  const router = show(true);
  await act(() => router.navigate('/other'));
  fireEvent.click(screen.getByRole('button', { name: 'Leave' }));
  expect(await screen.findByText('another page')).toBeDefined();
});

test('another part of the same page is no leaving', async () => {
  const router = show(true);
  await act(() => router.navigate('/form?part=screen'));
  expect(screen.queryByRole('button', { name: 'Stay' })).toBeNull();
  expect(router.state.location.search).toBe('?part=screen');
});

test('without changes nothing is asked', async () => {
  const router = show(false);
  expect(leavesTab()).toBe(true);
  await act(() => router.navigate('/other'));
  expect(screen.getByText('another page')).toBeDefined();
});
