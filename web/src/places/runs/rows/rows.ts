import type { CaseRows, RowCell, RunCase, RunRow, StepName, Verdict } from "../../../api";
import { count, duration, size } from "../../../base/format";
import { WORST_FIRST } from "../../../parts/verdicts";
import type { SeenStep } from "./cells";
import { stepName } from "./steps";

/** What the cells of the matrix show. */
export type Facts = "time" | "status" | "size" | "verdict" | `kept ${string}`;
export const FACTS: Facts[] = ["time", "status", "size", "verdict"];

/** By what rows are sorted, as the API says it, and whether the other way round. */
export interface Order {
  by: string;
  down: boolean;
}

/** A column of the matrix: the row's number, one of its values, a step, or the time in all. */
export type Column =
  | { kind: "number"; name: string; width: number }
  | { kind: "value"; name: string; width: number }
  | { kind: "step"; name: string; width: number; part: StepName["part"]; index: number }
  | { kind: "total"; name: string; width: number };

const LETTER = 7.6;

export function total(rows: CaseRows, shown: ReadonlySet<Verdict>): number {
  return verdictsOf(rows).reduce(
    (sum, [verdict, number]) => sum + (shown.size && !shown.has(verdict) ? 0 : number),
    0,
  );
}

/** How many rows had which verdict, the worst first; those that none had are left out. */
export function verdictsOf(rows: CaseRows): [Verdict, number][] {
  return WORST_FIRST.flatMap((verdict): [Verdict, number][] => {
    const number = rows.counts[verdict];
    return number ? [[verdict, number]] : [];
  });
}

/** The columns with their widths, by the longest text that the first rows have there. */
export function columnsOf(entry: RunCase, names: string[], first: RunRow[]): Column[] {
  const values = names.map((name): Column => {
    const longest = Math.max(name.length + 2, ...first.map((row) => (row.data[name] ?? "").length));
    return { kind: "value", name, width: Math.min(180, Math.max(52, Math.round(longest * LETTER) + 14)) };
  });
  const steps = entry.stepNames
    .filter((step) => step.part === "steps" || step.part === "afterwards")
    .map(
      (step): Column => ({ kind: "step", name: step.name, width: 112, part: step.part, index: step.index }),
    );
  return [
    { kind: "number", name: "row", width: 54 },
    ...values,
    ...steps,
    { kind: "total", name: "in all", width: 80 },
  ];
}

/** How the API calls a column's order. */
export function orderOf(column: Column, facts: Facts): string {
  if (column.kind === "number") return "number";
  if (column.kind === "total") return "time";
  if (column.kind === "value") return `column ${column.name}`;
  return `step ${column.part} ${column.index} ${facts.startsWith("kept ") ? "time" : facts}`;
}

export function cellOf(row: RunRow, column: Column): RowCell | undefined {
  return column.kind === "step"
    ? row.cells.find((cell) => cell.part === column.part && cell.index === column.index)
    : undefined;
}

/** What a cell shows of a step. */
export function fact(cell: SeenStep, facts: Facts): string {
  if (cell.verdict === "skipped") return "skipped";
  const notSent = cell.verdict === "blocked" && !cell.ms;
  if (facts === "status") return cell.status ? String(cell.status) : notSent ? "not sent" : "no answer";
  if (facts === "size") return size(cell.size);
  if (facts === "verdict") return cell.verdict;
  if (facts === "time") return notSent ? "not sent" : duration(cell.ms);
  return cell.value || "–";
}

/** The slowest of the cells that are in sight, so that their bars can be compared. */
export function slowest(rows: (RunRow | undefined)[]): number {
  return Math.max(1, ...rows.flatMap((row) => row?.cells.map((cell) => cell.ms) ?? []));
}

/** The step to look at first in a row: the first bad one, else the first. */
export function firstStep(row: RunRow): RowCell | undefined {
  return (
    ["failed", "blocked", "unchecked"]
      .map((verdict) => row.cells.find((cell) => cell.verdict === verdict && cell.part === "steps"))
      .find(Boolean) ?? row.cells[0]
  );
}

/** A row as a sentence: "Row 7 failed at Ask for a berth: …". */
export function rowSentence(entry: RunCase, row: RunRow): string {
  const why = row.why?.sentence ?? "";
  const cell = row.cells.find((item) => item.verdict === row.verdict);
  const at = cell && row.verdict !== "passed" ? ` at ${stepName(entry, cell.part, cell.index)}` : "";
  const words = {
    failed: "failed",
    blocked: "was blocked",
    unchecked: "checks nothing",
    passed: "passed",
    skipped: "was skipped",
  };
  return `Row ${row.row} ${words[row.verdict]}${at}${why ? `: ${why}` : ""}`;
}

/** "9 of 12 rows passed." */
export function rowsSentence(rows: CaseRows): string {
  const all = total(rows, new Set());
  const passed = rows.counts.passed ?? 0;
  if (!all) return "No row has ended yet.";
  return passed === all ? `All ${count(all, "row")} passed.` : `${passed} of ${count(all, "row")} passed.`;
}
