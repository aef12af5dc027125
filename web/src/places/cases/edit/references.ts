import type { Case, StepEvidence } from "../../../app/api";

/** A value that can be inserted: its name, where it comes from, what it was last. */
export interface Reference {
  name: string;
  from: string;
  value: string;
}

/** What a step can insert, nearest first: what earlier steps keep, then the case's, the suite's and the project's values. */
export function referencesFor(of: Case, seen: Map<string, StepEvidence>, before: number): Reference[] {
  const found: Reference[] = [];
  for (const step of of.steps.filter((item) => item.number < before).reverse()) {
    const kept = seen.get(`${step.part}.${step.index}`)?.kept ?? [];
    for (const { name } of [...(step.keep ?? []), ...(step.set ?? [])]) {
      const last = kept.find((item) => item.name === name);
      found.push({
        name,
        from: `step ${step.number}`,
        value: last?.secret ? "a secret" : (last?.value ?? ""),
      });
    }
  }
  const documents = [...of.values.map((value) => ({ ...value, from: "case" })), ...of.scope];
  for (const value of documents) {
    found.push({ name: value.name, from: value.from ?? "", value: value.secret ? "a secret" : value.value });
  }
  return found.filter((item, index) => found.findIndex((other) => other.name === item.name) === index);
}

const OPEN = /\[=([^\]|[]*)$/;

/** The references that fit what is being typed right before the caret; none outside `[=`. */
export function fitting(text: string, caret: number, references: Reference[]): Reference[] {
  const typed = OPEN.exec(text.slice(0, caret))?.[1];
  if (typed === undefined) return [];
  const wanted = typed.trim().toLowerCase();
  return references.filter((item) => item.name.toLowerCase().includes(wanted)).slice(0, 10);
}

/** The text with the reference put in, and where the caret goes. */
export function inserted(text: string, caret: number, name: string): [string, number] {
  const begin = text.slice(0, caret).replace(OPEN, `[=${name}]`);
  const rest = text.slice(caret);
  return [begin + (rest.startsWith("]") ? rest.slice(1) : rest), begin.length];
}
