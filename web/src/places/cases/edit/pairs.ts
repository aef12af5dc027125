import type { Pair } from "../../../app/api";
import type { Json } from "../../../app/exact";
import type { StepDocument } from "./document";

/** Names and values as lines of text: `name = value`, `Name: value`. */
export function linesOf(pairs: Pair[], join: string): string {
  const space = join === ":" ? "" : " ";
  return pairs
    .map((pair) => `${pair.name}${space}${join} ${pair.value.map((piece) => piece.text).join("")}`)
    .join("\n");
}

/** The pairs of such lines, also of a header block or a query that was pasted; a sentence where a line has no name. */
export function pairsOf(text: string, join: string): [string, string][] | string {
  const query = join === "=" && !text.includes("\n") && /^\??[^\s=&]+=[^\s]*&/.test(text.trim());
  if (query) return [...new URLSearchParams(text.trim().replace(/^\?/, ""))];
  const pairs: [string, string][] = [];
  for (const line of text.split("\n")) {
    if (!line.trim()) continue;
    const at = line.indexOf(join);
    const name = line.slice(0, at).trim();
    if (at < 0 || !name)
      return `“${line.trim()}” is not a name and a value; write it as name${join === ":" ? ": " : " = "}value`;
    pairs.push([name, line.slice(at + 1).trim()]);
  }
  return pairs;
}

/** A step's sign-in as one line: `bearer [=token]`, `basic user password`. */
export function authText(step: StepDocument | undefined): string {
  const [kind, value] = Object.entries((step?.auth as { [kind: string]: Json }) ?? {})[0] ?? [];
  return kind ? `${kind} ${Array.isArray(value) ? value.join(" ") : value}` : "";
}

/** That line as the document writes it; undefined for none, a sentence where it cannot be read. */
export function authOf(text: string): { [name: string]: Json } | undefined | string {
  const [, kind, first, rest] = /^(bearer|basic)\s+(\[=[^\]]*\]|\S+)(?:\s+(\S.*))?$/.exec(text.trim()) ?? [];
  if (!text.trim()) return undefined;
  if (kind === "bearer" && first && !rest) return { bearer: first };
  if (kind === "basic" && first && rest) return { basic: [first, rest] };
  return "Write bearer TOKEN, or basic USER PASSWORD.";
}

/** A step's own options, a line each. */
export function optionsText(step: StepDocument | undefined): string {
  const options = Object.entries((step?.options as { [name: string]: Json }) ?? {});
  return options.map(([name, value]) => `${name}: ${value}`).join("\n");
}

export function optionsOf(text: string): { [name: string]: Json } | undefined | string {
  const pairs = pairsOf(text, ":");
  if (typeof pairs === "string") return pairs;
  const value = (word: string): Json => (word === "true" ? true : word === "false" ? false : word);
  return pairs.length ? Object.fromEntries(pairs.map(([name, word]) => [name, value(word)])) : undefined;
}
