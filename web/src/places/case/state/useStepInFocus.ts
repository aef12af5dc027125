import { startTransition, useCallback, useRef, useState } from "react";
import type { Case, Step, StepEvidence } from "../../../api";
import { stepWithDraft } from "../../../parts/typing/drafts";
import { worst } from "./onThePage";

export interface Focus<Seen> {
  step: Step | undefined;
  /** Its number; 0 without one. */
  chosen: number;
  seen: Seen | undefined;
  /** Open the step with this key; without one, what needs a person. */
  choose: (key: string | undefined) => void;
  /** The same in the background, so that a click is answered at once. */
  pick: (key: string) => void;
  /** Asked when something begins that takes a while: what it gives opens a step, unless somebody opened another one meanwhile. */
  openLater: () => (key: string) => void;
  /** Let the end of this run lead elsewhere, if no step was opened since `opened` was asked. */
  follow: (run: string, opened: string | undefined) => void;
  opened: () => string | undefined;
}

/** The step that is open. `asked`: one that the address names; `ran`: the run that `steps` are of. Until somebody opens one it is the step
 * that needs a person first, found once a run, so that mending it does not lead away from it. */
export function useStepInFocus<Seen extends StepEvidence>(
  of: Case,
  asked: string | undefined,
  steps: Map<string, Seen>,
  ran: string | undefined,
): Focus<Seen> {
  const [picked, setKey] = useState<string | undefined>(() => asked ?? stepWithDraft(of.id));
  /** The run since whose beginning nobody opened another step. */
  const [released, setReleased] = useState("");
  const turns = useRef(0);
  const choose = useCallback((key: string | undefined) => {
    turns.current += 1;
    setReleased("");
    setKey(key);
  }, []);
  const pick = useCallback((key: string) => startTransition(() => choose(key)), [choose]);
  const openLater = useCallback(() => {
    const turn = turns.current;
    return (key: string) => {
      if (turns.current === turn) choose(key);
    };
  }, [choose]);
  const open = useRef(picked);
  open.current = picked;
  const opened = useCallback(() => open.current, []);
  const follow = useCallback((run: string, before: string | undefined) => {
    if (open.current === before) setReleased(run);
  }, []);
  const first = useRef<{ run: string; key: string | undefined }>(undefined);
  if (ran && first.current?.run !== ran) first.current = { run: ran, key: worst(of, steps) };
  // After a run it leads to what needs a person; where all is well the page stays where it was.
  const lead = released && released === ran ? first.current?.key : undefined;
  const step =
    of.steps.find((item) => item.key === (lead ?? picked)) ??
    of.steps.find((item) => item.key === first.current?.key) ??
    of.steps.find((item) => item.kind === "request");
  return {
    step,
    chosen: step?.number ?? 0,
    seen: step && steps.get(step.place),
    choose,
    pick,
    openLater,
    follow,
    opened,
  };
}
