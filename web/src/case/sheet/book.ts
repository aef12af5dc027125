import type { Case, StepEvidence, StoredRow, Verdict } from "../../api";
import { type Change, type CheckDocument, checksOf, type Document, stepWith } from "../document";
import { cellsOf } from "./cells";
import { type Cells, REQUEST } from "./columns";

/** A request that rows check: `cells` as the sheet has it, unfolded. */
export interface BookStep {
  key: string;
  number: number;
  name: string;
  cells: Partial<Cells>;
  /** Cleaning up, which new rows do not begin with. */
  aside: boolean;
  checks: BookCheck[];
}

export interface BookCheck {
  /** The check as it is stored, by which it is found again when others have come or gone above it. */
  stored: CheckDocument | undefined;
  cells: Partial<Cells>;
  verdict: Verdict | undefined;
}

export interface BookCase {
  id: string;
  name: string;
  steps: BookStep[];
}

/** The cases of a sheet, and how they are changed: a sentence says why they could not be. */
export interface Book {
  cases: BookCase[];
  apply: (changes: { id: string; change: Change }[]) => Promise<string | undefined>;
}

/** The case that is open, its checks as they stand in the page; requests and what was seen as the server last told them. */
export function bookOfCase(of: Case, evidence: Map<string, StepEvidence>, told: StoredRow[]): BookCase {
  const requests = new Map(told.filter((row) => row.cells.method).map((row) => [row.step, row.cells]));
  const seen = new Map(told.map((row) => [`${row.step} ${row.cells.of}`, row.cells.seen ?? ""]));
  const steps = of.steps
    .filter((step) => step.kind === "request")
    .map((step): BookStep => {
      const last = evidence.get(step.place);
      const stored = checksOf(stepWith(of.document as Document, step.key));
      const checks = (step.expect ?? []).map((check, index): BookCheck => {
        const outcome = last?.checks[index]?.check === check.sentence ? last?.checks[index] : undefined;
        const beside = { was: outcome?.actual ?? "", seen: seen.get(`${step.key} ${check.of}`) ?? "" };
        return { stored: stored[index], cells: { ...cellsOf(check), ...beside }, verdict: outcome?.verdict };
      });
      return {
        key: step.key,
        number: step.number,
        name: step.name,
        cells: requestCells(requests.get(step.key)),
        aside: step.part !== "steps",
        checks,
      };
    });
  return { id: of.id, name: of.name, steps };
}

/** The cases of a suite, as the server told their rows. */
export function bookOfRows(rows: StoredRow[]): BookCase[] {
  const cases: BookCase[] = [];
  for (const row of rows) {
    let of = cases.at(-1);
    if (of?.id !== row.case) {
      of = { id: row.case, name: row.caseName, steps: [] };
      cases.push(of);
    }
    let step = of.steps.at(-1);
    if (step?.key !== row.step) {
      const cells = requestCells(row.cells);
      step = { key: row.step, number: row.number, name: row.stepName, cells, aside: false, checks: [] };
      of.steps.push(step);
    }
    if (row.index >= 0) {
      const { case: _case, step: _step, verdict, ...cells } = row.cells;
      step.checks.push({
        stored: (row.check ?? undefined) as CheckDocument | undefined,
        cells,
        verdict: verdict as Verdict | undefined,
      });
    }
  }
  return cases;
}

const requestCells = (cells: { [name: string]: string } | undefined): Partial<Cells> =>
  Object.fromEntries(REQUEST.map((name) => [name, cells?.[name] ?? ""]));
