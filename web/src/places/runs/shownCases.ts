/** Which cases of a run are shown, and in which order. */

import type { RunCase, Verdict } from "../../api";
import { WORST_FIRST } from "../../parts/verdicts";

export const ORDERS = ["in their order", "the worst first", "the slowest first"] as const;

/** What the cells of steps show. */
export const CELLS = ["time", "status", "size"] as const;
export type Cells = (typeof CELLS)[number];

export interface Shown {
  /** Empty: whichever. */
  verdicts: ReadonlySet<Verdict>;
  typed: string;
  order: (typeof ORDERS)[number];
  cells: Cells;
  /** As a matrix of cases and steps, else as a list. */
  matrix: boolean;
  /** Of a run against several environments only what came otherwise in one of them. */
  differing: boolean;
}

export const EVERY_CASE: Shown = {
  verdicts: new Set(),
  typed: "",
  order: "in their order",
  cells: "time",
  matrix: false,
  differing: false,
};

/** How many cases ended with which verdict, the worst first. */
export const verdictsAmong = (cases: readonly RunCase[]): [Verdict, number][] =>
  WORST_FIRST.map((verdict): [Verdict, number] => [
    verdict,
    cases.filter((entry) => entry.verdict === verdict).length,
  ]).filter(([, number]) => number > 0);

/** Each word that was typed stands in the case's name, its tags, its suite's name, or one of its steps'. */
function meant(entry: RunCase, words: string[]): boolean {
  const text = [entry.name, entry.suite, ...entry.tags, ...entry.stepNames.map((step) => step.name)]
    .join(" ")
    .toLowerCase();
  return words.every((word) => text.includes(word));
}

/** A case's entries, one for each environment that it went to, in their order. */
export function byCase(cases: readonly RunCase[]): RunCase[][] {
  const found = new Map<string, RunCase[]>();
  for (const entry of cases) {
    const own = found.get(entry.case);
    if (own) own.push(entry);
    else found.set(entry.case, [entry]);
  }
  return [...found.values()];
}

export const cameOtherwise = (entries: readonly RunCase[]): boolean =>
  new Set(entries.map(({ verdict }) => verdict)).size > 1;

export function shownCases(cases: readonly RunCase[], shown: Shown): RunCase[] {
  const { verdicts, typed, order, differing } = shown;
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const wanted = (entry: RunCase) =>
    (!verdicts.size || (entry.verdict !== null && verdicts.has(entry.verdict))) && meant(entry, words);
  // What stands beside it in other environments comes along.
  const found = byCase(cases)
    .filter((entries) => entries.some(wanted) && (!differing || cameOtherwise(entries)))
    .flat();
  const rank = ({ verdict }: RunCase) => (verdict ? WORST_FIRST.indexOf(verdict) : WORST_FIRST.length);
  if (order === "the worst first") return found.sort((a, b) => rank(a) - rank(b));
  if (order === "the slowest first") return found.sort((a, b) => (b.ms ?? -1) - (a.ms ?? -1));
  return found;
}
