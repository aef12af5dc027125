import type { Outcome } from "../../../api";
import { type Json, readExact } from "../../../base/exact";
import { namesOf } from "../../../base/places";
import { valueAt } from "../../../case/expectedBody";

/** The exact place where a line's expectation did not hold, the first of several. */
export function wrongAt(path: string | undefined, outcome: Outcome | undefined): string | undefined {
  if (outcome?.verdict !== "failed" || path === undefined) return undefined;
  const parts = path.split("[*]").map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, "\\$&"));
  const pattern = new RegExp(`^${parts.join("\\[\\d+\\]")}$`);
  return outcome.where.find((place) => pattern.test(place));
}

/** What the check saw, where it was short enough to be shown whole. */
export function readActual(outcome: Outcome | undefined): Json | undefined {
  try {
    return outcome?.actual ? readExact(outcome.actual) : undefined;
  } catch {
    return undefined;
  }
}

/** The value at a place below the body's own. */
export function placeIn(actual: Json | undefined, of: string, path: string | undefined): Json | undefined {
  if (actual === undefined || !path?.startsWith(of)) return undefined;
  return valueAt(actual, namesOf(path.slice(of.length)));
}
