/** What the page of a case does beside showing it: its keys, what is sent as it opens, what is changed elsewhere, what it leads to. */

import { type KeyboardEvent, useCallback, useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import type { Case, RunEvent, StepEvidence } from "../../../api";
import { useStale } from "../../../api/stale";
import { useEvents } from "../../../state/events";

/** A request that was just pasted to be sent is sent as it opens; what could not be taken along of it is said. */
export function useSentAtOnce(send: () => Promise<void>, ready: boolean): string {
  const { state, pathname } = useLocation() as {
    state: { send?: boolean; said?: string[] } | null;
    pathname: string;
  };
  const navigate = useNavigate();
  const sent = useRef(false);
  useEffect(() => {
    if (!state?.send || sent.current || !ready) return;
    sent.current = true;
    void navigate(pathname, { replace: true, state: { said: state.said } });
    void send();
  }, [state, ready, send, navigate, pathname]);
  return (state?.said ?? []).join(" ");
}

export function isOfGoneStep(where: string, of: Case): boolean {
  const key = where.slice(of.id.length + 1);
  return Boolean(key) && of.steps.every((step) => step.key !== key);
}

/** The keys of the whole page; says whether the key was one of them. */
export function pressed(
  event: KeyboardEvent | globalThis.KeyboardEvent,
  run: () => Promise<void>,
  editing: { undo: () => void; redo: () => void },
  typing: boolean,
): boolean {
  if (!event.ctrlKey) return false;
  const key = event.key.toLowerCase();
  if (key === "enter" && !typing) void run();
  else if (key === "z" && !typing) (event.shiftKey ? editing.redo : editing.undo)();
  else return false;
  return true;
}

const FOLDED = "salt-path.sheet-evidence";

/** Whether the evidence is folded away beside a sheet, which needs the room; how it was left in this browser. */
export function useFolded(): [boolean, (folded: boolean) => void] {
  const [folded, setFolded] = useState(() => localStorage.getItem(FOLDED) !== "open");
  return [
    folded,
    (next) => {
      localStorage.setItem(FOLDED, next ? "folded" : "open");
      setFolded(next);
    },
  ];
}

/** A change that was made elsewhere is read as soon as it is told. */
export function useFollowed(of: Case): void {
  const tell = useStale();
  const version = useRef(of.version);
  version.current = of.version;
  const follow = useCallback(
    (event: RunEvent) => {
      const told = event as unknown as { case?: string; version?: number | null };
      if (event.type !== "case changed" || told.case !== of.id) return;
      // Our own save is answered a moment later; what is newer then was made elsewhere.
      window.setTimeout(() => {
        if (!told.version || told.version > version.current) void tell("case", of.id);
      }, 400);
    },
    [tell, of.id],
  );
  useEvents(of.project, follow);
}

/** The step that needs a person first, one inside another before that one; none where all is well. */
export function worst(of: Case, steps: Map<string, StepEvidence>): string | undefined {
  for (const verdict of ["failed", "blocked", "unchecked"]) {
    const bad = of.steps.filter((step) => {
      const seen = steps.get(step.place);
      return seen?.verdict === verdict && seen.counts;
    });
    const first = bad.find((step) => !step.each) ?? bad[0];
    if (first) return first.key;
  }
  return undefined;
}
