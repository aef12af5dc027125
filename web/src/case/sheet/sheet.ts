import type { Verdict } from "../../api";
import { writeExact } from "../../base/exact";
import type { Area } from "../../parts/grid/area";
import {
  type Change,
  type CheckDocument,
  checksOf,
  inChecks,
  inStep,
  type StepDocument,
  stepWith,
} from "../document";
import type { BookCase, BookStep } from "./book";
import { asCells } from "./cells";
import { type Cells, type Column, EMPTY, isEdited, isRequest, REQUEST } from "./columns";

/** One row: a check of a step, a request that has none, a row that cannot be read yet, or the place for a new one. */
export interface Row {
  id: string;
  /** The case that it belongs to. */
  of: string;
  key: string;
  /** Where the check stands in its step; -1 where it does not yet. */
  index: number;
  /** The check as it is stored, by which it is found again when others have come or gone above it. */
  stored?: CheckDocument | undefined;
  /** Whether it is the first of its step, which the request belongs to. */
  first: boolean;
  cells: Cells;
  verdict: Verdict | undefined;
  problem: string;
}

/** A row as it is wanted: where it goes, and what its cells say now. */
export interface Wanted {
  id: string;
  of: string;
  key: string;
  index: number;
  stored?: CheckDocument | undefined;
  cells: Cells;
}

/** A row whose cells say no check: it waits, and nothing of it is lost. */
export interface Waiting extends Wanted {
  problem: string;
}

/** Every check of the cases' requests, step by step; what waits stands in the place of its check, or at the end of its step. */
export function rowsOf(cases: BookCase[], waiting: Waiting[]): Row[] {
  return cases.flatMap((of) =>
    of.steps.flatMap((step) => {
      const own = waiting.filter((item) => item.of === of.id && item.key === step.key);
      const begin = { of: of.id, key: step.key };
      const rows = step.checks.map((check, index): Row => {
        const waits = own.find((item) => item.index === index);
        return {
          ...begin,
          id: `${of.id}.${step.key}.${index}`,
          index,
          stored: check.stored,
          first: false,
          cells: asCells({ ...check.cells, ...(waits && { ...waits.cells, was: check.cells.was ?? "" }) }),
          verdict: waits ? undefined : check.verdict,
          problem: waits?.problem ?? "",
        };
      });
      for (const item of own.filter((one) => one.index < 0))
        rows.push({ ...item, first: false, verdict: undefined, cells: { ...item.cells, was: "", seen: "" } });
      if (!rows.length)
        rows.push({
          ...begin,
          id: `${of.id}.${step.key}.none`,
          index: -1,
          first: false,
          cells: EMPTY,
          verdict: undefined,
          problem: "",
        });
      return rows.map((row, at) => named(row, of, step, at === 0));
    }),
  );
}

/** The row with its case and step named; the request stands in the first of a step only. */
function named(row: Row, of: BookCase, step: BookStep, first: boolean): Row {
  const request = first ? step.cells : Object.fromEntries(REQUEST.map((name) => [name, ""]));
  const begin = { case: of.name, step: `${step.number} ${step.name}` };
  return { ...row, first, cells: { ...row.cells, ...begin, ...request } };
}

/** The place below the last row, where a new one is typed: of the step with a key, else of the last one that is no cleaning up. */
export function newRow(cases: BookCase[], key = ""): Row | undefined {
  const all = cases.flatMap((of) => of.steps.map((step) => ({ of, step })));
  const found =
    all.find(({ step }) => step.key === key) ?? all.findLast(({ step }) => !step.aside) ?? all.at(-1);
  if (!found) return undefined;
  const { of, step } = found;
  const row = {
    id: "new",
    of: of.id,
    key: step.key,
    index: -1,
    cells: EMPTY,
    verdict: undefined,
    problem: "",
  };
  return named({ ...row, first: false }, of, step, false);
}

/** Whether a row stands for no check yet: the last one, and that of a request without checks. */
export const isEmpty = (row: Row): boolean => row.id === "new" || row.id.endsWith(".none");

/** Whether a row's cells say anything of a check. */
export const saysCheck = (cells: Cells): boolean =>
  [cells.of, cells.relation, cells.expected].some((cell) => cell.trim());

/** The rows that a pasted table makes of those from a cell on: cells overlaid, rows beyond the last new ones. A first row of the
 * columns' own names says which column is which. A case or step cell names one; empty carries on from above. */
export function pastedRows(
  rows: Row[],
  at: number,
  column: number,
  table: string[][],
  cases: BookCase[],
  columns: Column[],
): Wanted[] {
  const heads = table[0]?.map((cell) => cell.trim().toLowerCase()) ?? [];
  const headed = heads.includes("of") && heads.every((head) => !head || head in EMPTY);
  const names = headed ? (heads as Column[]) : columns.slice(column);
  const found: Wanted[] = [];
  let { of = "", key = "" } = rows[at] ?? {};
  (headed ? table.slice(1) : table).forEach((cells, offset) => {
    const old = rows[at + offset];
    const next = { ...(old?.cells ?? EMPTY) };
    if (old && old.id !== "new") ({ of, key } = old);
    cells.forEach((cell, place) => {
      const name = names[place];
      if (name === "case") of = cases.find((item) => item.name === cell.trim())?.id ?? of;
      else if (name === "step") key = stepNamed(caseWith(cases, of), cell) ?? key;
      else if (name && isEdited(name) && (!isRequest(name) || cell.trim())) next[name] = cell;
    });
    const stays = old && !isEmpty(old) && old.key === key && old.of === of;
    if (!saysCheck(next) && !REQUEST.some((name) => next[name] !== (old?.cells[name] ?? ""))) return;
    found.push(
      stays ? { ...old, cells: next } : { id: `new.${crypto.randomUUID()}`, of, key, index: -1, cells: next },
    );
  });
  return found;
}

export const caseWith = (cases: BookCase[], id: string): BookCase | undefined =>
  cases.find((item) => item.id === id);

/** The key of the request that a cell names, by its number or its name. */
export function stepNamed(of: BookCase | undefined, cell: string): string | undefined {
  const text = cell.trim();
  if (!text || !of) return undefined;
  const number = /^\d+/.exec(text)?.[0];
  const found =
    of.steps.find((step) => step.name === text) ?? of.steps.find((step) => String(step.number) === number);
  return found?.key;
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

/** Another request in the place of a step's; what it expects and keeps stays. */
export const asRequest = (key: string, made: StepDocument): Change =>
  inStep(key, (step) => {
    const { expect: _expect, keep: _keep, ...request } = made;
    const { expect, keep } = step;
    return {
      ...request,
      ...(expect !== undefined && { expect }),
      ...(keep !== undefined && { keep }),
    } as StepDocument;
  });

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

function withAside(cells: Cells, check: CheckDocument): CheckDocument {
  const marks = cells.mark.toLowerCase();
  return {
    ...check,
    ...(cells.note.trim() ? { note: cells.note.trim() } : {}),
    ...(/\badvice\b/.test(marks) ? { advice: true } : {}),
    ...(/\boff\b/.test(marks) ? { off: true } : {}),
  };
}

/** A row's check taken to another step of its case. */
export const moved =
  (row: Row, key: string): Change =>
  (document) => {
    const checks = checksOf(stepWith(document, row.key));
    const check = checks[placeOf(row, checks)];
    return check ? inChecks(key, (before) => [...before, check])(removed([row])(document)) : document;
  };

/** The checks of some rows of one case taken away. */
export function removed(rows: Row[]): Change {
  return (document) =>
    [...new Set(rows.map((row) => row.key))].reduce((next, key) => {
      const checks = checksOf(stepWith(next, key));
      const gone = new Set(rows.filter((row) => row.key === key).map((row) => placeOf(row, checks)));
      const keep = checks.filter((_check, index) => !gone.has(index));
      return inChecks(key, () => keep)(next);
    }, document);
}

/** Changes of several rows, case by case. */
export function byCase<Item extends { of: string }>(
  items: Item[],
  change: (items: Item[]) => Change,
): { id: string; change: Change }[] {
  return [...new Set(items.map((item) => item.of))].map((id) => ({
    id,
    change: change(items.filter((item) => item.of === id)),
  }));
}

/** A rectangle of cells, both ends included. */
export const textsIn = (rows: Row[], area: Area, columns: Column[]): string[][] =>
  rows
    .slice(area.top, area.bottom + 1)
    .map((row) => columns.slice(area.left, area.right + 1).map((column) => row.cells[column]));
