import { api, type CaseCoverage, type UncheckedField } from "../api";
import type { CaseChange } from "./document";
import { type CheckDocument, inChecks } from "./document";
import { byPath, type SeenPlaces } from "./making";

/** A field as it is chosen: by case, step and path. */
export const fieldId = (of: string, step: string, path: string): string => `${of} ${step} ${path}`;

/** How many fields the cases' answers have, and how many of them are checked. */
export function total(cases: CaseCoverage[]): { fields: number; checked: number } {
  const steps = cases.flatMap((of) => of.steps);
  return {
    fields: steps.reduce((sum, step) => sum + step.fields, 0),
    checked: steps.reduce((sum, step) => sum + step.checked, 0),
  };
}

/** The check of a field: as it is, but only its kind where the last answers had it otherwise, with the reason as its note. */
export function checkOf(field: UncheckedField, seen: SeenPlaces): CheckDocument {
  const why = field.places === 1 ? seen.get(field.path)?.loose?.sentence : undefined;
  if (why === undefined) return field.check as CheckDocument;
  const kinds = seen.get(field.path)?.kinds.length ?? 1;
  return { of: field.path, ...(kinds > 1 ? { present: true } : { kind: field.kind }), note: why };
}

/** The chosen fields as checks of their steps, case by case. */
export async function watched(cases: CaseCoverage[], chosen: ReadonlySet<string>): Promise<CaseChange[]> {
  const changes: CaseChange[] = [];
  for (const of of cases) {
    for (const step of of.steps) {
      const fields = step.unchecked.filter((field) => chosen.has(fieldId(of.case, step.step, field.path)));
      if (!fields.length) continue;
      const seen = byPath(await api.seen(of.case, step.step));
      const checks = fields.map((field) => checkOf(field, seen));
      changes.push({ id: of.case, change: inChecks(step.step, (before) => [...before, ...checks]) });
    }
  }
  return together(changes);
}

/** One change for each case, so that it is saved once. */
function together(changes: CaseChange[]): CaseChange[] {
  return [...new Set(changes.map((item) => item.id))].map((id) => ({
    id,
    change: (document) =>
      changes.filter((item) => item.id === id).reduce((next, { change }) => change(next), document),
  }));
}
