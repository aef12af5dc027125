import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from "react";
import { applyTheme, type Theme } from "../base/tokens";

interface Choice {
  theme: Theme;
  toggle: () => void;
}

const ThemeChoice = createContext<Choice>({ theme: "light", toggle: () => undefined });
const KEY = "saltpath-theme";

export const useTheme = (): Choice => useContext(ThemeChoice);

function firstTheme(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "light" || kept === "dark") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** The look of everything: our tokens for the style sheet; what the component library draws takes its own of the same. */
export function ThemeProvider({ children }: { children: ReactNode }) {
  const [theme, setTheme] = useState<Theme>(firstTheme);
  useEffect(() => applyTheme(theme), [theme]);
  const choice = useMemo(
    () => ({
      theme,
      toggle: () => {
        const next = theme === "light" ? "dark" : "light";
        localStorage.setItem(KEY, next);
        setTheme(next);
      },
    }),
    [theme],
  );
  return <ThemeChoice.Provider value={choice}>{children}</ThemeChoice.Provider>;
}
