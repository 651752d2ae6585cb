import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { api } from '../../api/client';
import type { Key } from '../../api/schema';
import { ReplaceKeyDialog } from './ReplaceKeyDialog';

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

test('the old key is taken for as long as was chosen', async () => {
  const post = vi.spyOn(api, 'post').mockResolvedValue({ key: 'new' });
  const onIssued = vi.fn();
  render(
    <QueryClientProvider client={new QueryClient()}>
      <ReplaceKeyDialog
        path="/keys"
        replaced={{ id: 7, hint: 'ab12' } as Key}
        onIssued={onIssued}
        onClose={() => undefined}
      />
    </QueryClientProvider>,
  );
  fireEvent.mouseDown(screen.getByRole('combobox'));
  fireEvent.click(screen.getByRole('option', { name: 'an hour' }));
  fireEvent.click(screen.getByRole('button', { name: 'Replace it' }));
  await vi.waitFor(() => expect(onIssued).toHaveBeenCalled());
  expect(post).toHaveBeenCalledWith('/keys/7/replace', { overlap_s: 3600 });
});
