import type { Case, Check, Outcome, StepEvidence } from "../../../app/api";
import { type Change, type CheckDocument, inChecks, noted, replaced } from "./document";

/** A check whose value came otherwise, and could simply be the expected one from now on. */
export interface Changed {
  step: string;
  number: number;
  index: number;
  of: string;
  /** A check that expects what came instead, as the cells of a sheet say it. */
  actual: string;
  noted: boolean;
}

/** What changed in the same way at several places: one cause. */
export interface Cause {
  id: string;
  place: string;
  expected: string;
  actual: string;
  checks: Changed[];
}

/** Whether the value that came could simply be the expected one from now on. */
export function rightNow(check: Pick<Check, "phrase">, outcome: Outcome | undefined): outcome is Outcome {
  return (
    outcome?.verdict === "failed" &&
    check.phrase === "is" &&
    outcome.where.length === 1 &&
    outcome.actual !== "" &&
    !outcome.actual.includes("●●●")
  );
}

/** The values of a case's last answers that came otherwise, those of one name that changed in the same way together, the most first. */
export function causesIn(of: Case, seen: Map<string, StepEvidence>): Cause[] {
  const found = new Map<string, Cause>();
  for (const step of of.steps) {
    const outcomes = seen.get(`${step.part}.${step.index}`)?.checks ?? [];
    (step.expect ?? []).forEach((check, index) => {
      const outcome = outcomes[index]?.check === check.sentence ? outcomes[index] : undefined;
      if (check.off || !rightNow(check, outcome)) return;
      const { expected, actual } = outcome;
      const place = lastName(check.of);
      const id = JSON.stringify([place, expected, actual]);
      const cause = found.get(id) ?? { id, place, expected, actual, checks: [] };
      cause.checks.push({
        step: step.key,
        number: step.number,
        index,
        of: check.of,
        actual,
        noted: check.note !== "",
      });
      found.set(id, cause);
    });
  }
  return [...found.values()].sort((left, right) => right.checks.length - left.checks.length);
}

const lastName = (of: string): string => /[^.[\]'"/@:]+(?=['"\]]*$)/.exec(of)?.[0] ?? of;

/** The checks that were accepted, each in its place with its marks; why stands as the note of those that have none. */
export function accept(items: { changed: Changed; check: CheckDocument }[], why: string): Change {
  return (document) =>
    items.reduce(
      (next, { changed: { step, index, noted: has }, check }) =>
        inChecks(step, (before) => {
          const taken = replaced(index, check)(before);
          return why && !has ? noted(index, why)(taken) : taken;
        })(next),
      document,
    );
}
