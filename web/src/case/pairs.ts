import type { Pair } from "../api";
import { type Json, readExact, writeExact } from "../base/exact";
import type { StepDocument } from "./document";

/** Names and values as lines of text: `name = value`, `Name: value`. */
export function linesOf(pairs: Pair[], join: string): string {
  const space = join === ":" ? "" : " ";
  return pairs
    .map(({ name, value }) => {
      const text = value.map((piece) => piece.text).join("");
      return `${name}${space}${join} ${join === "=" ? inALine(text) : text}`;
    })
    .join("\n");
}

/** A value as it stands behind its name in a line (outline.py, `in_a_line`): one that has line breaks, or blanks around it, as a JSON
 * string with an escape in it. Quotes alone are what they are. */
export function inALine(value: string): string {
  if (!isEscaped(value) && value === value.trim() && !/[\n\r]/.test(value)) return value;
  const inner = value.trim();
  const begin = value.length - value.trimStart().length;
  const [before, after] = [value.slice(0, begin), value.slice(begin + inner.length)].map((blanks) =>
    [...blanks].map((blank) => `\\u${blank.charCodeAt(0).toString(16).padStart(4, "0")}`).join(""),
  );
  return `"${before}${JSON.stringify(inner).slice(1, -1)}${after}"`;
}

const isEscaped = (text: string): boolean => /^".*\\.*"$/s.test(text);

/** What stands there for a value that had to be escaped. */
function read(written: string): string {
  if (!isEscaped(written)) return written;
  try {
    const value: unknown = JSON.parse(written);
    return typeof value === "string" ? value : written;
  } catch {
    return written;
  }
}

/** The pairs of such lines, also of a header block or a query that was pasted; a sentence where a line has no name.
 * `decode`: whether a value that had to be escaped is read back. */
export function pairsOf(text: string, join: string, decode = join === "="): [string, string][] | string {
  const query = join === "=" && !text.includes("\n") && /^\??[^\s=&]+=[^\s]*&/.test(text.trim());
  if (query) return [...new URLSearchParams(text.trim().replace(/^\?/, ""))];
  const pairs: [string, string][] = [];
  for (const line of text.split("\n")) {
    if (!line.trim()) continue;
    const at = line.indexOf(join);
    const name = line.slice(0, at).trim();
    if (at < 0 || !name)
      return `“${line.trim()}” is not a name and a value; write it as name${join === ":" ? ": " : " = "}value`;
    const value = line.slice(at + 1).trim();
    pairs.push([name, decode ? read(value) : value]);
  }
  return pairs;
}

/** The words of a line; what stands in a reference's brackets or in quotes is one. */
const wordsOf = (text: string): string[] => text.match(/(?:\[=[^\]]*\]|"[^"]*"|\S)+/g) ?? [];

const SIGN_INS =
  "Write bearer TOKEN, basic USER PASSWORD, digest USER PASSWORD, key header NAME VALUE, or oauth2 ADDRESS CLIENT SECRET [SCOPE].";

/** A step's sign-in as one line: `bearer [=token]`, `digest user password`, `key header X-Key value`, `oauth2 address client secret`. */
export function authText(step: StepDocument | undefined): string {
  const [kind, value] = Object.entries((step?.auth as { [kind: string]: Json }) ?? {})[0] ?? [];
  if (!kind) return "";
  const parts = typeof value === "object" && value !== null ? Object.values(value) : [value];
  return [kind, ...parts].join(" ");
}

/** That line as the document writes it; undefined for none, a sentence where it cannot be read. */
export function authOf(text: string): { [name: string]: Json } | undefined | string {
  const [kind, first = "", second = "", third = "", fourth = "", ...more] = wordsOf(text.trim());
  if (!kind) return undefined;
  if (kind === "bearer" && first && !second) return { bearer: first };
  if ((kind === "basic" || kind === "digest") && second && !third) return { [kind]: [first, second] };
  if (kind === "key" && third && !fourth && ["header", "query", "cookie"].includes(first))
    return { key: { in: first, name: second, value: third } };
  if (kind === "oauth2" && third && !more.length) {
    const client = { "token url": first, "client id": second, "client secret": third };
    return { oauth2: fourth ? { ...client, scope: fourth } : client };
  }
  return SIGN_INS;
}

/** A step's own options, a line each; what has parts is written as JSON. */
export function optionsText(step: StepDocument | undefined): string {
  const options = Object.entries((step?.options as { [name: string]: Json }) ?? {});
  return options
    .map(([name, value]) => `${name}: ${typeof value === "object" ? writeExact(value) : value}`)
    .join("\n");
}

export function optionsOf(text: string): { [name: string]: Json } | undefined | string {
  const pairs = pairsOf(text, ":");
  if (typeof pairs === "string") return pairs;
  const options: { [name: string]: Json } = {};
  for (const [name, word] of pairs) {
    const exact = /^(?:true|false|\d+|[{[].*)$/s.test(word);
    try {
      options[name] = exact ? readExact(word) : word;
    } catch {
      return `“${word}” is not JSON; write it as { "name": "value" }`;
    }
  }
  return pairs.length ? options : undefined;
}

/** The kinds of body, with what is typed for each. */
export const BODY_HINT =
  "JSON; or XML; or a form, lines of name = value; name = file PATH for parts; or file PATH. Ctrl Enter keeps.";

/** What kind of body a text is, for a step that has none yet. */
export function bodyKind(text: string): "json" | "xml" | "form" | "multipart" | "file" | "text" {
  const typed = text.trim();
  if (typed.startsWith("<")) return "xml";
  if (/^file\s+\S+$/.test(typed)) return "file";
  const lines = typed.split("\n");
  const pairs = lines.every((line) => /^[\w.-]+\s*=/.test(line.trim()));
  if (pairs) return lines.some((line) => /=\s*file\s+\S/.test(line)) ? "multipart" : "form";
  return /^[[{"\d]|^(?:true|false|null)$/.test(typed) ? "json" : "text";
}

/** The parts of a multipart body, a line each: `name = text`, `name = "text of several lines as JSON", TYPE`,
 * `name = file PATH, TYPE`. */
export function partsOf(text: string): Json[] | string {
  const pairs = pairsOf(text, "=", false);
  if (typeof pairs === "string") return pairs;
  return pairs.map(([name, value]): Json => {
    const [, quoted, of] = /^("(?:[^"\\]|\\.)*")(?:,\s*(\S+))?$/.exec(value) ?? [];
    if (quoted) return { name, text: readExact(quoted), ...(of ? { type: of } : {}) };
    const [, path, type] = /^file\s+([^,]+?)(?:,\s*(\S+))?$/.exec(value) ?? [];
    if (!path) return { name, text: value };
    return type ? { name, file: path, type } : { name, file: path };
  });
}
