/** The colors and typefaces of Bodkin, once: the style sheets get them as variables, Ant Design as its theme. */

export type Theme = "light" | "dark";

const LIGHT = {
  paper: "#faf7f1",
  panel: "#ffffff",
  foot: "#fffdf9",
  line: "#e4ddcf",
  faintLine: "#f1ece1",
  belt: "#efe9dc",
  ink: "#1f2a37",
  quiet: "#6b6558",
  rule: "#b9ac93",
  accent: "#8c2f39",
  onAccent: "#ffffff",
  pinOff: "#a99f8a",
  whisker: "#b8ad97",
  bandOutline: "#1f2a37",
  ramp1: "#e2d6bf",
  ramp2: "#b4c0c8",
  ramp3: "#6a8aa3",
  ramp4: "#1f3f5f",
  hatch: "#1f2a37",
  focus: "#8c2f39",
};

export type Colors = typeof LIGHT;

const DARK: Colors = {
  paper: "#1a1f26",
  panel: "#20262e",
  foot: "#1d232b",
  line: "#38414c",
  faintLine: "#2b333d",
  belt: "#2d343c",
  ink: "#ece6d9",
  quiet: "#b0a996",
  rule: "#7d735e",
  accent: "#d9848c",
  onAccent: "#1a1f26",
  pinOff: "#756d5c",
  whisker: "#756d5c",
  bandOutline: "#ece6d9",
  ramp1: "#4a443a",
  ramp2: "#5f7180",
  ramp3: "#8fb0c9",
  ramp4: "#dcebf6",
  hatch: "#ece6d9",
  focus: "#d9848c",
};

export const COLORS: Record<Theme, Colors> = { light: LIGHT, dark: DARK };

const FACES = {
  serif: '"Literata Variable", "Literata", Georgia, serif',
  sans: '"Atkinson Hyperlegible Next Variable", "Atkinson Hyperlegible Next", sans-serif',
};

function variables(values: Record<string, string>): string {
  return Object.entries(values)
    .map(
      ([name, value]) => `--${name.replace(/([A-Z]|\d+)/g, (part) => `-${part.toLowerCase()}`)}: ${value};`,
    )
    .join(" ");
}

/** The tokens as variables of the page, before anything is drawn. */
export function installTokens(): void {
  const sheet = document.createElement("style");
  sheet.textContent = [
    `:root { ${variables({ ...LIGHT, ...FACES })} color-scheme: light; }`,
    `:root[data-theme="dark"] { ${variables(DARK)} color-scheme: dark; }`,
  ].join("\n");
  document.head.prepend(sheet);
}
