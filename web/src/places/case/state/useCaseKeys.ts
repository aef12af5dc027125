import { type KeyboardEvent, useEffect, useMemo } from "react";
import type { Case, StepEvidence } from "../../../api";
import { useMay } from "../../../api/may";
import { type Action, useActions } from "../../../base/finding";
import { referencesFor } from "../../../case/references";
import { pressed, worst } from "./onThePage";
import type { Edits } from "./useEditing";

type Choose = (key: string | undefined) => void;

/** The keys of a case's page, and what it offers to “Find or do”. Gives what the page calls at each key. */
export function useCaseKeys(
  of: Case,
  steps: Map<string, StepEvidence>,
  chosen: number,
  choose: Choose,
  runAll: () => Promise<void>,
  editing: Edits,
): (event: KeyboardEvent) => void {
  useEffect(() => {
    const anywhere = (event: globalThis.KeyboardEvent) => {
      if (event.target === document.body) pressed(event, runAll, editing, false);
    };
    document.addEventListener("keydown", anywhere);
    return () => document.removeEventListener("keydown", anywhere);
  }, [runAll, editing]);
  const [runs, edits] = [useMay("run"), useMay("edit")];
  useActions(
    useMemo(
      () =>
        actionsOf(of, steps, choose, runAll, editing).filter(
          ({ needs }) => !needs || (needs === "run" ? runs : edits),
        ),
      [of, steps, choose, runAll, editing, runs, edits],
    ),
  );
  return (event) => {
    const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea, .cm-editor");
    if (pressed(event, runAll, editing, Boolean(typing))) event.preventDefault();
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const onHead = event.target instanceof HTMLElement && event.target.classList.contains("step-head");
    if (!move || !onHead || event.altKey) return;
    event.preventDefault();
    const next = Math.min(of.steps.length, Math.max(1, chosen + move));
    choose(of.steps[next - 1]?.key);
    document.querySelector<HTMLElement>(`[data-step="${next}"] .step-head`)?.focus();
  };
}

function actionsOf(
  of: Case,
  steps: Map<string, StepEvidence>,
  choose: Choose,
  runAll: () => Promise<void>,
  editing: Edits,
): (Action & { needs?: "run" | "edit" })[] {
  return [
    ...of.steps.map((item) => ({
      name: `Step ${item.number}: ${item.name}`,
      about: "of this case",
      act: () => choose(item.key),
    })),
    ...referencesFor(of, steps, of.steps.length + 1).map((value) => ({
      name: value.name,
      about: `value of ${value.from}: ${value.value}`,
      act: () => choose(of.steps.find((item) => value.from === `step ${item.number}`)?.key),
    })),
    { name: "Run this case", about: "do it", act: () => void runAll(), needs: "run" },
    { name: "Undo the last edit", about: "do it", act: editing.undo, needs: "edit" },
    { name: "Go to the first failure", about: "do it", act: () => choose(worst(of, steps)) },
  ];
}
