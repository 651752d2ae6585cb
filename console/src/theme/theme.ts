import type {} from '@mui/material/themeCssVarsAugmentation';
import { createTheme } from '@mui/material/styles';

declare module '@mui/material/styles' {
  interface Palette {
    line: string;
  }
  interface PaletteOptions {
    line?: string;
  }
}

const MONO = '"Atkinson Hyperlegible Mono Variable", monospace';

/** Font of keys, codes and payloads. */
export const mono = { fontFamily: MONO, fontSize: '0.95em' } as const;

/** "Ink and brass": warm paper by day, ink by night, one accent of brass. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data' },
  colorSchemes: {
    light: {
      palette: {
        background: { default: '#FAF6EE', paper: '#FFFDF8' },
        text: { primary: '#1C2430', secondary: '#55606E' },
        primary: { main: '#855600', contrastText: '#FFFDF8' },
        secondary: { main: '#1F6A63', contrastText: '#FFFDF8' },
        error: { main: '#A3262A' },
        warning: { main: '#7A4B00' },
        divider: '#E3DAC8',
        line: '#E3DAC8',
      },
    },
    dark: {
      palette: {
        background: { default: '#0F151D', paper: '#17202B' },
        text: { primary: '#EDE6D8', secondary: '#A9B2BD' },
        primary: { main: '#E2A93B', contrastText: '#0F151D' },
        secondary: { main: '#67BDB3', contrastText: '#0F151D' },
        error: { main: '#FF8F86' },
        warning: { main: '#F0B65A' },
        divider: '#2A3644',
        line: '#2A3644',
      },
    },
  },
  shape: { borderRadius: 6 },
  typography: {
    fontFamily: '"Atkinson Hyperlegible Next Variable", sans-serif',
    fontSize: 15,
    htmlFontSize: 16,
    body1: { fontSize: 15, lineHeight: 1.5 },
    body2: { fontSize: 13, lineHeight: 1.5 },
    caption: { fontSize: 13, lineHeight: 1.4 },
    h1: { fontSize: 24, fontWeight: 650, lineHeight: 1.3 },
    h2: { fontSize: 18, fontWeight: 650, lineHeight: 1.35 },
    h3: { fontSize: 15, fontWeight: 650, lineHeight: 1.4 },
    button: { textTransform: 'none', fontWeight: 600, fontSize: 15 },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        // What has the focus must not lie under the strip that stays on top.
        html: { scrollPaddingTop: 72 },
        body: { fontVariantNumeric: 'tabular-nums' },
        code: mono,
      },
    },
    MuiPaper: {
      defaultProps: { elevation: 0, variant: 'outlined' },
      styleOverrides: { root: { backgroundImage: 'none' } },
    },
    MuiButton: { defaultProps: { disableElevation: true } },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiTableCell: { styleOverrides: { root: { fontSize: 15 }, head: { fontWeight: 650 } } },
    MuiAlert: {
      defaultProps: { variant: 'outlined' },
      styleOverrides: { root: { fontSize: 15 }, message: { minWidth: 0, overflowWrap: 'anywhere' } },
    },
    MuiLink: { defaultProps: { underline: 'hover' } },
    MuiTooltip: { defaultProps: { enterDelay: 400 } },
  },
});
