import { api, type Suite } from "../../../api";
import { levelsOf } from "../../../parts/suites";
import type { Outline } from "./useOutline";

export interface SuiteMoves {
  /** Among those that it stands with; undefined where there is no way. */
  up: (() => void) | undefined;
  down: (() => void) | undefined;
  /** Into the suite above it. */
  inward: (() => void) | undefined;
  /** Out of its folder, right behind that. */
  outward: (() => void) | undefined;
  /** The suites that it can stand in. */
  folders: Suite[];
  /** Into a folder, or (null) into none. */
  into: (folder: Suite | null) => void;
}

/** Where a suite can go: it takes those in it along, and each move can be undone. `beside`: those that it stands with, in order. */
export function useSuiteMoves(suite: Suite, beside: Suite[], suites: Suite[], outline: Outline): SuiteMoves {
  const at = beside.indexOf(suite);
  const folder = suites.find(({ id }) => id === suite.within);
  const behind = folder && nextOf(folder, suites);
  const above = beside[at - 1];
  const moved = (sentence: string, into: string | null, before: string | null) =>
    void outline.act(() => api.changeSuite(suite.id, { into, before }), {
      sentence,
      undo: () =>
        void outline.act(() =>
          api.changeSuite(suite.id, { into: suite.within, before: beside[at + 1]?.id ?? null }),
        ),
    });
  const among = (before: string | null) => void outline.act(() => api.changeSuite(suite.id, { before }));
  const into = (to: Suite | null) =>
    moved(
      to ? `${suite.name} stands in ${to.name} now.` : `${suite.name} stands in no folder now.`,
      to?.id ?? null,
      null,
    );
  return {
    up: above && (() => among(above.id)),
    down: at < beside.length - 1 ? () => among(beside[at + 2]?.id ?? null) : undefined,
    inward: above && (() => into(above)),
    outward: folder
      ? () => moved(`${suite.name} stands behind ${folder.name} now.`, folder.within, behind?.id ?? null)
      : undefined,
    folders: suites.filter((one) => one.id !== suite.within && !levelsOf(one, suites).includes(suite)),
    into,
  };
}

/** The suite that stands behind one in the same folder. */
function nextOf(suite: Suite, suites: Suite[]): Suite | undefined {
  const beside = suites.filter(({ within }) => within === suite.within);
  return beside[beside.indexOf(suite) + 1];
}
