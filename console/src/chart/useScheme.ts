import { useColorScheme, useTheme, type Theme } from '@mui/material/styles';

export type Scheme = 'light' | 'dark';

/** Whether light or dark is on. */
export function useScheme(): Scheme {
  const { mode, systemMode } = useColorScheme();
  return (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
}

/** The colours of the scheme that is on, which follow it by themselves where the theme has variables. */
export function usePalette(): Theme['palette'] {
  const { vars, palette } = useTheme();
  return (vars?.palette ?? palette) as Theme['palette'];
}
