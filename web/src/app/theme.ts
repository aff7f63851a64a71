import { createTheme } from '@mantine/core';

/** Mantine in our ink and paper; contrast is checked with axe. */
export const theme = createTheme({
  fontFamily: "'Instrument Sans Variable', system-ui, sans-serif",
  fontFamilyMonospace: "'JetBrains Mono Variable', ui-monospace, monospace",
  primaryColor: 'dark',
  primaryShade: { light: 8, dark: 2 },
  autoContrast: true,
  defaultRadius: 'md',
  headings: { fontFamily: "'Bricolage Grotesque Variable', system-ui, sans-serif" },
});
