import type { Case, Step, StepEvidence } from "../api";
import type { Known } from "../parts/known";
import type { Reference } from "../parts/typing/inserting";

/** What a step can insert, nearest first: what earlier steps keep, then the case's, the suite's and the project's values. */
export function referencesFor(of: Case, seen: Map<string, StepEvidence>, before: number): Reference[] {
  const found: Reference[] = [];
  for (const step of of.steps.filter((item) => item.number < before).reverse()) {
    const kept = seen.get(step.place)?.kept ?? [];
    for (const { name } of keptBy(step)) {
      const last = kept.find((item) => item.name === name);
      found.push({
        name,
        from: `step ${step.label}`,
        value: last?.secret ? "a secret" : (last?.value ?? ""),
      });
    }
  }
  const own = of.steps.find((item) => item.number === before);
  for (let holder = own?.inside; holder; ) {
    const step = of.steps.find((item) => item.key === holder);
    if (step?.each)
      found.unshift({ name: step.each.item, from: `each of step ${step.label}`, value: "an item" });
    holder = step?.inside ?? "";
  }
  for (const input of of.shared?.inputs ?? [])
    found.push({ name: input.name, from: "inputs", value: input.value });
  const documents = [...of.values.map((value) => ({ ...value, from: "case" })), ...of.scope];
  for (const value of documents) {
    found.push({ name: value.name, from: value.from ?? "", value: value.secret ? "a secret" : value.value });
  }
  return found.filter((item, index) => found.findIndex((other) => other.name === item.name) === index);
}

const keptBy = (step: Step): { name: string }[] => [
  ...(step.keep ?? []),
  ...(step.set ?? []),
  ...(step.use?.gives ?? []),
];

/** Every place that has a value of a name, nearest first, as references in this case look for it. */
export function placesIn(of: Case): (name: string) => Known[] {
  const places = new Map<string, Known[]>();
  const put = (name: string, from: string, value: string) => {
    const known = places.get(name) ?? [];
    if (!known.some((place) => place.from === from)) places.set(name, [...known, { from, value }]);
  };
  for (const step of of.steps) for (const { name } of keptBy(step)) put(name, "kept", "what was kept");
  for (const value of of.values) put(value.name, "case", value.secret ? "a secret" : value.value);
  for (const value of of.scope) put(value.name, value.from ?? "", value.secret ? "a secret" : value.value);
  return (name) => places.get(name) ?? [];
}
