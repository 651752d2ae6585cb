import { MutationCache, QueryCache, QueryClient } from '@tanstack/react-query';
import { Problem } from './api/problem';

declare module '@tanstack/react-query' {
  interface Register {
    defaultError: Problem;
  }
}

const isFinal = (error: Problem) => error.status >= 400 && error.status < 500;

/** A session that has ended shows itself at any request or change; the log-in leads back here. */
function onError(error: Problem): void {
  if (error.code === 'not-logged-in') void queryClient.resetQueries({ queryKey: ['session'] });
}

export const queryClient: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    queries: {
      retry: (count, error) => !isFinal(error) && count < 2,
      staleTime: 2_000,
      refetchOnWindowFocus: true,
    },
  },
});
