import type { Case, StepEvidence } from "../../../app/api";
import type { Reference } from "../../../parts/typing/inserting";

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
