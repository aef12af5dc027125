import type { Case, SharedSteps } from "../api";
import type { Json } from "../base/exact";
import type { StepDocument } from "./document";
import { newKey } from "./keys";

/** A step that uses shared ones: what they need is given by the values of these names, what they give is kept under its own name, or one
 * beside it where that is taken. */
export function usingThem(shared: SharedSteps, taken: string[], known: string[]): StepDocument {
  const given = shared.inputs
    .filter((input) => input.needed)
    .map((input) => [input.name, known.includes(input.name) ? `[=${input.name}]` : ""] as const);
  const gives = shared.outputs.map((output) => [output.name, freeName(output.name, taken)] as const);
  return {
    shared: shared.called,
    key: newKey(),
    ...(given.length && { with: Object.fromEntries(given) as Json }),
    ...(gives.length && { gives: Object.fromEntries(gives) as Json }),
  };
}

function freeName(name: string, taken: string[]): string {
  if (!taken.includes(name)) return name;
  for (let number = 2; ; number++) if (!taken.includes(name + number)) return name + number;
}

/** The key of the first step that looks for a value which these steps give and nobody has; they belong before it. */
export function firstThatNeeds(shared: SharedSteps, of: Case): string | undefined {
  const gives = new Set(shared.outputs.map((output) => output.name));
  const missing = of.findings.filter((finding) => finding.code === "kept-nowhere" && gives.has(finding.name));
  const places = missing.map((finding) => /^([a-z ]+)\[(\d+)\]/.exec(finding.path));
  return of.steps.find((step) =>
    places.some((place) => place?.[1] === step.part && Number(place[2]) === step.index && !step.inside),
  )?.key;
}
