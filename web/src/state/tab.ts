import { useEffect } from "react";
import type { Verdict } from "../api";

const ICON = "/mark.svg";

/** What the browser's tab says while a page is open, so that it is found among others; of something that runs also how it ended, by the shape that stands
 *  for it. */
export function useTab(title: string, verdict?: Verdict | null): void {
  useEffect(() => {
    say(`${title} · Salt Path`, verdict ? `/verdict-${verdict}.svg` : ICON);
    return () => say("Salt Path", ICON);
  }, [title, verdict]);
}

function say(title: string, icon: string): void {
  document.title = title;
  document.querySelector("link[rel=icon]")?.setAttribute("href", icon);
}
