import { useCallback, useRef, useState } from "react";
import type { Right } from "../api";
import { refused, useMay } from "../api/may";

/** Why the last of several acts could not be, as a sentence; empty: it could. */
export function useTold(): [string, (act: Promise<unknown>) => Promise<string | undefined>] {
  const [problem, setProblem] = useState("");
  const told = useCallback(async (act: Promise<unknown>) => {
    const wrong = await act.then(() => "").catch((reason: Error) => reason.message);
    setProblem(wrong);
    return wrong || undefined;
  }, []);
  return [problem, told];
}

type Back = () => Promise<unknown>;

/** What a page saves, one act after the other, and the way back from each. An undo takes its turn, too: one that is asked for while an act is
 * being saved takes back that act, never the one before. `refresh` asks for what the page shows anew; it is called when nothing is left to be
 * saved, so that what is shown already is not overwritten by what stood before. */
export function useActs(refresh: () => Promise<unknown>, needs: Right = "edit") {
  const may = useMay(needs);
  const past = useRef<Back[]>([]);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const waiting = useRef(0);
  const [canUndo, setCanUndo] = useState(false);
  const settle = useCallback(() => setCanUndo(past.current.length > 0 || waiting.current > 0), []);
  /** Carries `act` out in its turn; `back` gives what undoes it from what it has made. Fails as `act` does. */
  const carry = useCallback(
    async <Made>(act: () => Promise<Made>, back?: (made: Made) => Back | undefined): Promise<Made> => {
      if (!may) throw new Error(refused());
      waiting.current += 1;
      settle();
      const mine = last.current.then(act).then((made) => {
        const way = back?.(made);
        if (way) past.current.push(way);
        return made;
      });
      last.current = mine.catch(() => undefined);
      try {
        return await mine;
      } finally {
        waiting.current -= 1;
        settle();
        if (!waiting.current) await refresh();
      }
    },
    [refresh, settle, may],
  );
  const undo = useCallback(() => carry(async () => void (await past.current.pop()?.())), [carry]);
  const isSaving = useCallback(() => waiting.current > 0, []);
  return { carry, undo, canUndo, isSaving };
}

export type Carry = ReturnType<typeof useActs>["carry"];
