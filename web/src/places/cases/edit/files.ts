import type { ProjectFile } from "../../../app/api";
import type { Json } from "../../../app/exact";
import { type Change, inStep, type StepDocument } from "./document";

const TYPES: Record<string, string> = {
  csv: "text/csv",
  gif: "image/gif",
  html: "text/html",
  jpeg: "image/jpeg",
  jpg: "image/jpeg",
  json: "application/json",
  pdf: "application/pdf",
  png: "image/png",
  txt: "text/plain",
  xlsx: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
  xml: "application/xml",
  zip: "application/zip",
};

/** The media type that a file's name tells. */
export const mediaTypeOf = (path: string): string =>
  TYPES[path.split(".").at(-1)?.toLowerCase() ?? ""] ?? "application/octet-stream";

/** A path in the project for a file of this name, which no other one has. */
export function freePath(name: string, known: ProjectFile[]): string {
  const plain = name.replace(/[^\p{L}\p{N}._-]+/gu, "-").replace(/^[.-]+/, "") || "file";
  const taken = new Set(known.map((file) => file.path));
  const [, stem = plain, ending = ""] = /^(.+?)(\.[^.]*)?$/.exec(plain) ?? [];
  for (let number = 1; ; number++) {
    const path = `data/${stem}${number > 1 ? `-${number}` : ""}${ending}`;
    if (!taken.has(path)) return path;
  }
}

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
