import type { Case, Check, StepEvidence, Verdict } from "../../../app/api";
import { writeExact } from "../../../app/exact";
import {
  type Change,
  type CheckDocument,
  checksOf,
  type Document,
  inChecks,
  stepWith,
} from "../edit/document";

/** The columns in their order; those after the first six are only shown. */
export const COLUMNS = ["step", "of", "relation", "expected", "note", "mark", "was"] as const;
export type Column = (typeof COLUMNS)[number];
export const EDITED: readonly Column[] = ["step", "of", "relation", "expected", "note", "mark"];

/** One row: a check of a step, one that cannot be read yet, or the place for a new one. */
export interface Row {
  id: string;
  key: string;
  /** Where the check stands in its step; -1 where it does not yet. */
  index: number;
  /** The check as it is stored, by which it is found again when others have come or gone above it. */
  stored?: CheckDocument | undefined;
  cells: Record<Column, string>;
  verdict: Verdict | undefined;
  problem: string;
}

/** A row whose cells say no check: it waits, and nothing of it is lost. */
export interface Waiting {
  id: string;
  key: string;
  index: number;
  cells: Record<Column, string>;
  problem: string;
}

const EMPTY: Record<Column, string> = {
  step: "",
  of: "",
  relation: "",
  expected: "",
  note: "",
  mark: "",
  was: "",
};

/** Every check of the case's requests, step by step; what waits stands in the place of its check, or at the end of its step. */
export function rowsOf(of: Case, evidence: Map<string, StepEvidence>, waiting: Waiting[]): Row[] {
  const rows: Row[] = [];
  for (const step of of.steps) {
    if (step.kind !== "request") continue;
    const name = `${step.number} ${step.name}`;
    const seen = evidence.get(`${step.part}.${step.index}`);
    const stored = checksOf(stepWith(of.document as Document, step.key));
    (step.expect ?? []).forEach((check, index) => {
      const waits = waiting.find((item) => item.key === step.key && item.index === index);
      const outcome = seen?.checks[index]?.check === check.sentence ? seen?.checks[index] : undefined;
      rows.push({
        id: `${step.key}.${index}`,
        key: step.key,
        index,
        stored: stored[index],
        cells: { ...(waits?.cells ?? cellsOf(check)), step: name, was: outcome?.actual ?? "" },
        verdict: waits ? undefined : outcome?.verdict,
        problem: waits?.problem ?? "",
      });
    });
    for (const item of waiting.filter((one) => one.key === step.key && one.index < 0))
      rows.push({ ...item, cells: { ...item.cells, step: name, was: "" }, verdict: undefined });
  }
  return rows;
}

/** The place below the last row, where a new one is typed: of the step with a key, else of the last one that is no cleaning up. */
export function newRow(of: Case, key = ""): Row | undefined {
  const requests = of.steps.filter((step) => step.kind === "request");
  const step =
    requests.find((one) => one.key === key) ??
    requests.findLast((one) => one.part === "steps") ??
    requests.at(-1);
  if (!step) return undefined;
  const cells = { ...EMPTY, step: `${step.number} ${step.name}` };
  return { id: "new", key: step.key, index: -1, cells, verdict: undefined, problem: "" };
}

/** A check as its cells; a group, which no cells can hold, is one sentence. */
export function cellsOf(check: Check): Record<Column, string> {
  const begin = `${check.of} ${check.phrase}`;
  const simple = check.of !== "" && (check.typed === begin || check.typed.startsWith(`${begin} `));
  const [of, relation, expected] = simple
    ? [check.of, check.phrase, check.typed.slice(begin.length).trim()]
    : [check.typed, "", ""];
  return { ...EMPTY, of, relation, expected, note: check.note, mark: marksOf(check) };
}

const marksOf = (check: Pick<Check, "off" | "advice">): string =>
  [check.off && "off", check.advice && "advice"].filter(Boolean).join(", ");

/** A row as it is wanted: where it goes, and what its cells say now. */
export interface Wanted {
  id: string;
  key: string;
  index: number;
  stored?: CheckDocument | undefined;
  cells: Record<Column, string>;
}

/** The rows that a pasted table makes of those from a cell on: cells overlaid, rows beyond the last new ones. A first row of the
 * columns' own names says which column is which. A step cell names a step by its number or its name; empty carries on from above. */
export function pastedRows(rows: Row[], at: number, column: number, table: string[][], of: Case): Wanted[] {
  const heads = table[0]?.map((cell) => cell.trim().toLowerCase()) ?? [];
  const named =
    heads.includes("of") && heads.every((head) => !head || (COLUMNS as readonly string[]).includes(head));
  const columns = named ? (heads as Column[]) : COLUMNS.slice(column);
  const found: Wanted[] = [];
  let key = rows[at]?.key ?? "";
  (named ? table.slice(1) : table).forEach((cells, offset) => {
    const old = rows[at + offset];
    const next = { ...(old?.cells ?? EMPTY) };
    key = old && old.id !== "new" ? old.key : key;
    cells.forEach((cell, place) => {
      const name = columns[place];
      if (name === "step") key = stepNamed(of, cell) ?? key;
      else if (name && EDITED.includes(name)) next[name] = cell;
    });
    if (![next.of, next.relation, next.expected].some((cell) => cell.trim())) return;
    const stays = old && old.id !== "new" && old.key === key;
    found.push(
      stays ? { ...old, cells: next } : { id: `new.${crypto.randomUUID()}`, key, index: -1, cells: next },
    );
  });
  return found;
}

/** The key of the request that a cell names, by its number or its name. */
export function stepNamed(of: Case, cell: string): string | undefined {
  const text = cell.trim();
  if (!text) return undefined;
  const number = /^\d+/.exec(text)?.[0];
  const steps = of.steps.filter((step) => step.kind === "request");
  return (steps.find((step) => step.name === text) ?? steps.find((step) => String(step.number) === number))
    ?.key;
}

/** The rows' checks put in their places: one edit, one undo. */
export function put(wanted: { row: Wanted; check: CheckDocument }[]): Change {
  return (document) =>
    [...new Set(wanted.map((item) => item.row.key))].reduce((next, key) => {
      const own = wanted.filter((item) => item.row.key === key);
      if (!stepWith(next, key)) return next;
      return inChecks(key, (before) => {
        const checks = [...before];
        for (const { row, check } of own) {
          const made = withAside(row.cells, check);
          const at = placeOf(row, before);
          if (at >= 0) checks[at] = made;
          else checks.push(made);
        }
        return checks;
      })(next);
    }, document);
}

/** Where a row's check stands now; -1 where it does not. */
function placeOf({ index, stored }: Pick<Wanted, "index" | "stored">, checks: CheckDocument[]): number {
  if (index < 0) return -1;
  const text = writeExact(stored);
  const same = (check: CheckDocument | undefined) => writeExact(check) === text;
  const elsewhere = stored && !same(checks[index]) ? checks.findIndex(same) : -1;
  if (elsewhere >= 0) return elsewhere;
  return index < checks.length ? index : -1;
}

/** The stored check of a row in which only the note or the mark is otherwise: what its parts carry besides stays, which no cells say. */
export function untouched(row: Row | undefined, wanted: Wanted): CheckDocument | undefined {
  if (!row?.stored || row.problem) return undefined;
  const same = (["of", "relation", "expected"] as const).every(
    (name) => row.cells[name] === wanted.cells[name],
  );
  const { note: _note, advice: _advice, off: _off, ...check } = row.stored;
  return same ? check : undefined;
}

function withAside(cells: Record<Column, string>, check: CheckDocument): CheckDocument {
  const marks = cells.mark.toLowerCase();
  return {
    ...check,
    ...(cells.note.trim() ? { note: cells.note.trim() } : {}),
    ...(/\badvice\b/.test(marks) ? { advice: true } : {}),
    ...(/\boff\b/.test(marks) ? { off: true } : {}),
  };
}

/** A row's check taken to another step. */
export const moved =
  (row: Row, key: string): Change =>
  (document) => {
    const checks = checksOf(stepWith(document, row.key));
    const check = checks[placeOf(row, checks)];
    return check ? inChecks(key, (before) => [...before, check])(removed([row])(document)) : document;
  };

/** The checks of some rows taken away. */
export function removed(rows: Row[]): Change {
  return (document) =>
    [...new Set(rows.map((row) => row.key))].reduce((next, key) => {
      const checks = checksOf(stepWith(next, key));
      const gone = new Set(rows.filter((row) => row.key === key).map((row) => placeOf(row, checks)));
      const keep = checks.filter((_check, index) => !gone.has(index));
      return inChecks(key, () => keep)(next);
    }, document);
}

/** A rectangle of cells, both ends included. */
export interface Area {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

export const areaOf = (from: [number, number], to: [number, number]): Area => ({
  top: Math.min(from[0], to[0]),
  bottom: Math.max(from[0], to[0]),
  left: Math.min(from[1], to[1]),
  right: Math.max(from[1], to[1]),
});

export const textsIn = (rows: Row[], area: Area): string[][] =>
  rows
    .slice(area.top, area.bottom + 1)
    .map((row) => COLUMNS.slice(area.left, area.right + 1).map((column) => row.cells[column]));
