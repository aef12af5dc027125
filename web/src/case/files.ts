import type { Json } from "../base/exact";
import { type Change, inStep, type StepDocument } from "./document";

/** The step sends a file: as its whole body, or as one more part beside the parts or the fields that it sends. */
export const withFile = (key: string, path: string, type: string): Change =>
  inStep(key, (step) => {
    const parts = partsOf(step);
    if (!parts) return { ...step, file: path, type };
    const { form: _, ...rest } = step;
    const name = (path.split("/").at(-1) ?? path).replace(/\.[^.]*$/, "");
    return { ...rest, multipart: [...parts, { name, file: path, type }] };
  });

/** The parts that the step sends now, or what parts its form would be; undefined where it sends neither. */
function partsOf(step: StepDocument): Json[] | undefined {
  if (Array.isArray(step.multipart)) return step.multipart;
  if (!step.form) return undefined;
  const pairs = Array.isArray(step.form)
    ? (step.form as [string, Json][])
    : Object.entries(step.form as object);
  return pairs.map(([name, text]) => ({ name, text }));
}
