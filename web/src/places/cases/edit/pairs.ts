import type { Pair } from "../../../app/api";

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
