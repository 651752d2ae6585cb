import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { api } from '../../api/client';
import { RetentionDialog } from './RetentionDialog';

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

test('what would go is shown before anything is set', async () => {
  vi.spyOn(api, 'get').mockResolvedValue({ effective: { raw_s: 86_400 }, own: { raw_s: 86_400 } });
  const put = vi.spyOn(api, 'put').mockResolvedValue({ readings: 12_000, summarized: 9_000, bytes: 40_000 });
  const onClose = vi.fn();
  render(
    <QueryClientProvider client={new QueryClient()}>
      <RetentionDialog path="/p" code="level" onClose={onClose} />
    </QueryClientProvider>,
  );
  const tryOut = await screen.findByRole('button', { name: 'Try out' });
  expect(screen.queryByRole('button', { name: 'Set' })).toBeNull();
  fireEvent.click(tryOut);
  expect(await screen.findByText(/12\s000 readings would go/)).toBeTruthy();
  expect(put.mock.calls.map(([path]) => path)).toEqual(['/p/retention?dry_run=true']);
  fireEvent.click(screen.getByRole('button', { name: 'Set' }));
  await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(put.mock.calls.map(([path]) => path)).toEqual(['/p/retention?dry_run=true', '/p/retention']);
});
