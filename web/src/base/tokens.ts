/** All colours, radii and fonts, light and dark. The rest of the pages uses them as CSS variables, `--ink` and so on. */

const light = {
  page: "#F6F4EF",
  card: "#FFFFFF",
  soft: "#FBFAF6",
  line: "#E3DDD2",
  ink: "#1E2B31",
  muted: "#5C6970",
  marsh: "#1F5F66",
  marshSoft: "#E3EDEC",
  onMarsh: "#FFFFFF",
  plum: "#714A80",
  plumSoft: "#B598C0",
  passed: "#2B7A57",
  failed: "#B43E26",
  failedSoft: "#FBEDE8",
  blocked: "#C79A08",
  blockedText: "#7A5C00",
  blockedSoft: "#FBF3DA",
  grey: "#6B757A",
  rail: "#D9CBB0",
  phaseLookup: "#DCC9A3",
  phaseConnect: "#BCA075",
  phaseTls: "#8F7A52",
  phaseWaiting: "#1F5F66",
  phaseReceiving: "#8FB3B5",
};

export type Tokens = typeof light;

const dark: Tokens = {
  page: "#151C1F",
  card: "#1D262A",
  soft: "#192125",
  line: "#344046",
  ink: "#E6E3DB",
  muted: "#A2AEB3",
  marsh: "#7CC0C4",
  marshSoft: "#233A3D",
  onMarsh: "#0F1C1E",
  plum: "#CFA7DE",
  plumSoft: "#8A6B97",
  passed: "#6CC59A",
  failed: "#F08A72",
  failedSoft: "#3A2420",
  blocked: "#E0B63A",
  blockedText: "#E8C75F",
  blockedSoft: "#38301A",
  grey: "#9AA5AA",
  rail: "#5A5140",
  phaseLookup: "#8A7A55",
  phaseConnect: "#A88E60",
  phaseTls: "#C9AE7C",
  phaseWaiting: "#5DA3A8",
  phaseReceiving: "#35595C",
};

export const tokens = { light, dark };
export type Theme = keyof typeof tokens;

export const fonts = {
  text: '"Atkinson Hyperlegible Next Variable", system-ui, sans-serif',
  mono: '"Atkinson Hyperlegible Mono Variable", ui-monospace, monospace',
};
export const radius = 5;

/** Hand the tokens of a theme to the style sheet. */
export function applyTheme(theme: Theme): void {
  const root = document.documentElement;
  root.dataset.theme = theme;
  root.style.colorScheme = theme;
  for (const [name, value] of Object.entries(tokens[theme])) {
    root.style.setProperty(`--${name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`, value);
  }
  root.style.setProperty("--font-text", fonts.text);
  root.style.setProperty("--font-mono", fonts.mono);
  root.style.setProperty("--radius", `${radius}px`);
}
