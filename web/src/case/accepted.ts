import type { Case, Check, Outcome, StepEvidence } from "../api";
import type { CaseChange } from "./document";
import { type Change, type CheckDocument, inChecks, noted, replaced } from "./document";

/** A check whose value came otherwise, and could simply be the expected one from now on. */
export interface Changed {
  case: string;
  caseName: string;
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
    const outcomes = seen.get(step.place)?.checks ?? [];
    (step.expect ?? []).forEach((check, index) => {
      const outcome = outcomes[index]?.check === check.sentence ? outcomes[index] : undefined;
      if (check.off || !rightNow(check, outcome)) return;
      const { expected, actual } = outcome;
      const place = lastName(check.of);
      const id = JSON.stringify([place, expected, actual]);
      const cause = found.get(id) ?? { id, place, expected, actual, checks: [] };
      cause.checks.push({
        case: of.id,
        caseName: of.name,
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
  return mostFirst([...found.values()]);
}

/** The causes of several cases, what changed in the same way in any of them together. */
export function overCases(causes: Cause[]): Cause[] {
  const found = new Map<string, Cause>();
  for (const cause of causes) {
    const known = found.get(cause.id);
    found.set(cause.id, known ? { ...known, checks: [...known.checks, ...cause.checks] } : cause);
  }
  return mostFirst([...found.values()]);
}

const mostFirst = (causes: Cause[]): Cause[] =>
  causes.sort((left, right) => right.checks.length - left.checks.length);

const lastName = (of: string): string => /[^.[\]'"/@:]+(?=['"\]]*$)/.exec(of)?.[0] ?? of;

/** A check that was accepted, and the one that stands in its place from now on. */
export interface Accepted {
  changed: Changed;
  check: CheckDocument;
}

/** The checks that were accepted, each in its place with its marks; why stands as the note of those that have none. One that was
 * changed or moved meanwhile is left as it is. */
export function accept(items: Accepted[], why: string): Change {
  return (document) =>
    items.reduce(
      (next, { changed: { step, index, of, noted: has }, check }) =>
        inChecks(step, (before) => {
          if (before[index]?.of !== of) return before;
          const taken = replaced(index, check)(before);
          return why && !has ? noted(index, why)(taken) : taken;
        })(next),
      document,
    );
}

/** The accepted checks of several cases, case by case. */
export function acceptAll(items: Accepted[], why: string): CaseChange[] {
  return [...new Set(items.map((item) => item.changed.case))].map((id) => ({
    id,
    change: accept(
      items.filter((item) => item.changed.case === id),
      why,
    ),
  }));
}
