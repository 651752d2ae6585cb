import { QueryCache, QueryClient } from '@tanstack/react-query';
import { Problem } from './api/problem';

declare module '@tanstack/react-query' {
  interface Register {
    defaultError: Problem;
  }
}

const isFinal = (error: Problem) => error.status >= 400 && error.status < 500;

export const queryClient: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    onError: (error) => {
      // A session that has ended shows itself at any request.
      if (error.code === 'not-logged-in') void queryClient.resetQueries({ queryKey: ['session'] });
    },
  }),
  defaultOptions: {
    queries: {
      retry: (count, error) => !isFinal(error) && count < 2,
      staleTime: 2_000,
      refetchOnWindowFocus: true,
    },
  },
});
