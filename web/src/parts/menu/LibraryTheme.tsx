import { theme as antTheme, ConfigProvider } from "antd";
import type { ReactNode } from "react";
import { fonts, radius, type Theme, tokens } from "../../base/tokens";

/** Whether the user has asked the system for as little motion as may be. */
const STILL = window.matchMedia("(prefers-reduced-motion: reduce)");

/** Our tokens for the component library, with the page's nonce, around what it draws. */
export function LibraryTheme({ children }: { children: ReactNode }) {
  const theme = (document.documentElement.dataset.theme ?? "light") as Theme;
  const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
  const colour = tokens[theme];
  return (
    <ConfigProvider
      csp={{ nonce }}
      theme={{
        algorithm: theme === "dark" ? antTheme.darkAlgorithm : antTheme.defaultAlgorithm,
        token: {
          colorPrimary: colour.marsh,
          colorBgBase: colour.card,
          colorBgElevated: colour.card,
          controlItemBgActive: colour.marshSoft,
          controlItemBgActiveHover: colour.marshSoft,
          controlItemBgHover: colour.page,
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
  );
}
