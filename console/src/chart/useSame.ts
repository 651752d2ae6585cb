import { useMemo } from 'react';

/** The same value as long as it says the same, so that nothing is made anew for a copy. */
export function useSame<T>(value: T): T {
  const key = JSON.stringify(value);
  return useMemo(() => JSON.parse(key) as T, [key]);
}
