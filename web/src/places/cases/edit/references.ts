import type { Case, StepEvidence } from "../../../app/api";
import type { Known } from "../../../parts/known";
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

/** Every place that has a value of a name, nearest first, as references in this case look for it. */
export function placesIn(of: Case): (name: string) => Known[] {
  const places = new Map<string, Known[]>();
  const put = (name: string, from: string, value: string) => {
    const known = places.get(name) ?? [];
    if (!known.some((place) => place.from === from)) places.set(name, [...known, { from, value }]);
  };
  for (const step of of.steps)
    for (const { name } of [...(step.keep ?? []), ...(step.set ?? [])]) put(name, "kept", "what was kept");
  for (const value of of.values) put(value.name, "case", value.secret ? "a secret" : value.value);
  for (const value of of.scope) put(value.name, value.from ?? "", value.secret ? "a secret" : value.value);
  return (name) => places.get(name) ?? [];
}
