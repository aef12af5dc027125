import type { Check } from "../../api";
import { type Cells, EMPTY } from "./columns";

/** A check as its cells; a group, which no cells can hold, is one sentence. */
export function cellsOf(check: Check): Partial<Cells> {
  const begin = `${check.of} ${check.phrase}`;
  const simple = check.of !== "" && (check.typed === begin || check.typed.startsWith(`${begin} `));
  const [of, relation, expected] = simple
    ? [check.of, check.phrase, check.typed.slice(begin.length).trim()]
    : [check.typed, "", ""];
  return { of, relation, expected, note: check.note, mark: marksOf(check) };
}

const marksOf = (check: Pick<Check, "off" | "advice">): string =>
  [check.off && "off", check.advice && "advice"].filter(Boolean).join(", ");

export const asCells = (cells: Partial<Cells>): Cells => ({ ...EMPTY, ...cells });
