import type { ProjectFile } from "../api";

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
