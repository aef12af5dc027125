/** The lines of a matrix of cases: each case, and of one that is unfolded its rows. */
import type { RunCase, RunRow } from "../../../api";
import type { SeenStep } from "../rows/cells";
import { total } from "../rows/rows";

export interface Line {
  entry: RunCase;
  /** Of a row its place among the case's, from 0; undefined: it is the case itself. */
  row: number | undefined;
}

export function linesOf(cases: readonly RunCase[], open: ReadonlySet<number>): Line[] {
  return cases.flatMap((entry): Line[] => {
    const rows = entry.rows && open.has(entry.position) ? total(entry.rows, new Set()) : 0;
    const own: Line = { entry, row: undefined };
    return [own, ...Array.from({ length: rows }, (_, row): Line => ({ entry, row }))];
  });
}

/** A column for each step of the case that has most: its name where several cases have it and call it the same, else its number. */
export function headsOf(cases: readonly RunCase[]): string[] {
  const most = Math.max(0, ...cases.map((entry) => entry.stepNames.length));
  return Array.from({ length: most }, (_, at) => {
    const names = cases.flatMap((entry) => entry.stepNames[at]?.name ?? []);
    const same = names.length > 1 && new Set(names).size === 1;
    return (same && names[0]) || `step ${at + 1}`;
  });
}

/** What became of the steps of a line, by column; undefined: nothing there, or nothing yet. */
export function stepsOf(entry: RunCase, row: RunRow | undefined): (SeenStep | undefined)[] {
  const seen: readonly SeenStep[] = row ? row.cells : entry.steps;
  return entry.stepNames.map((name) =>
    seen.find((step) => step.part === name.part && step.index === name.index),
  );
}
