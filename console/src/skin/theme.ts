/** MUI's theme, speaking the same tokens as the style sheet. */
import { createTheme } from '@mui/material/styles';

const text = "'Archivo Variable', Archivo, 'Helvetica Neue', sans-serif";

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: '[data-theme="%s"]' },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: '#241F19' },
        background: { default: '#F5F0E5', paper: '#FBF8F1' },
        text: { primary: '#241F19', secondary: '#544C40' },
        error: { main: '#A63F17' },
        divider: '#DED5C2',
      },
    },
    dark: {
      palette: {
        primary: { main: '#ECE6D9' },
        background: { default: '#13161D', paper: '#191D26' },
        text: { primary: '#ECE6D9', secondary: '#BDB7A9' },
        error: { main: '#EC9068' },
        divider: '#2E3441',
      },
    },
  },
  shape: { borderRadius: 2 },
  typography: { fontFamily: text, fontSize: 12.5, button: { textTransform: 'none', fontWeight: 600 } },
  transitions: {
    duration: {
      shortest: 120,
      shorter: 120,
      short: 120,
      standard: 180,
      complex: 180,
      enteringScreen: 180,
      leavingScreen: 120,
    },
  },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: { defaultProps: { size: 'small', disableElevation: true } },
    MuiPaper: {
      defaultProps: { elevation: 0 },
      styleOverrides: { root: { border: '1px solid var(--rule2)', backgroundImage: 'none' } },
    },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiMenuItem: { styleOverrides: { root: { minHeight: 30, fontSize: 12.5 } } },
    MuiTooltip: {
      styleOverrides: {
        tooltip: { background: 'var(--ink)', color: 'var(--paper)', fontSize: 12, lineHeight: '17px', borderRadius: 2 },
      },
    },
    MuiLinearProgress: {
      styleOverrides: { root: { background: 'var(--sunk)' }, bar: { background: 'var(--clicks)' } },
    },
  },
});
