import { theme as antTheme, ConfigProvider } from "antd";
import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from "react";
import { applyTheme, fonts, radius, type Theme, tokens } from "../base/tokens";

interface Choice {
  theme: Theme;
  toggle: () => void;
}

const ThemeChoice = createContext<Choice>({ theme: "light", toggle: () => undefined });
/** Whether the user has asked the system for as little motion as may be. */
const STILL = window.matchMedia("(prefers-reduced-motion: reduce)");
const KEY = "saltpath-theme";

export const useTheme = (): Choice => useContext(ThemeChoice);

function firstTheme(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "light" || kept === "dark") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

/** The look of everything: our tokens for the style sheet and for the component library, with the page's nonce. */
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
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
  const colour = tokens[theme];
  return (
    <ThemeChoice.Provider value={choice}>
      <ConfigProvider
        csp={{ nonce }}
        theme={{
          algorithm: theme === "dark" ? antTheme.darkAlgorithm : antTheme.defaultAlgorithm,
          token: {
            colorPrimary: colour.marsh,
            colorBgBase: colour.card,
            colorTextBase: colour.ink,
            colorTextSecondary: colour.muted,
            colorTextTertiary: colour.muted,
            colorBorder: colour.line,
            colorBorderSecondary: colour.line,
            colorError: colour.failed,
            colorSuccess: colour.passed,
            colorWarning: colour.blockedText,
            colorLink: colour.marsh,
            colorLinkHover: colour.marsh,
            colorLinkActive: colour.marsh,
            colorTextLightSolid: colour.onMarsh,
            borderRadius: radius,
            fontFamily: fonts.text,
            fontFamilyCode: fonts.mono,
            fontSize: 14,
            motion: !STILL.matches,
            motionDurationMid: "0.1s",
            motionDurationSlow: "0.15s",
          },
        }}
      >
        {children}
      </ConfigProvider>
    </ThemeChoice.Provider>
  );
}
