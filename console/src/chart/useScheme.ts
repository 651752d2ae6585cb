import { useColorScheme } from '@mui/material/styles';

/** Whether light or dark is on. */
export function useScheme(): 'light' | 'dark' {
  const { mode, systemMode } = useColorScheme();
  return (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
}
