import { fieldOf, isShort } from "../../base/places";
import { KIND, type TreeIndex } from "./indexer";

const decoder = new TextDecoder();
const MOST_SHOWN = 400;

/** A node's key as text; a list's items have their place. */
export function keyOf(index: TreeIndex, node: number): string {
  const begin = index.keyStart[node] as number;
  const end = index.keyEnd[node] as number;
  const parent = index.parent[node] as number;
  if (parent >= 0 && index.kind[parent] === KIND.list) return String(index.place[node]);
  const raw = decoder.decode(index.bytes.subarray(begin, end));
  return raw.includes("\\") ? (JSON.parse(`"${raw}"`) as string) : raw;
}

/** A leaf's own text as it is read, cut where it is long: numbers as the answer wrote them, letters that it escaped as letters. */
export function textOf(index: TreeIndex, node: number): string {
  const begin = index.start[node] as number;
  const end = Math.min(index.end[node] as number, begin + MOST_SHOWN);
  const text = withLetters(decoder.decode(index.bytes.subarray(begin, end)));
  return end < (index.end[node] as number) ? `${text}…` : text;
}

/** What shows nothing, or turns round what stands beside it, stays escaped, and so does half a character. */
const UNSEEN = /[\p{C}\p{Zl}\p{Zp}]/u;

/** A JSON text with letters for the escapes that stand for letters. */
export function withLetters(text: string): string {
  if (!text.includes("\\")) return text;
  return text.replace(/(?:\\u[0-9a-fA-F]{4})+|\\./gs, (escaped) => {
    if (escaped === "\\/") return "/";
    if (!escaped.startsWith("\\u")) return escaped;
    const letters = JSON.parse(`"${escaped}"`) as string;
    return [...letters]
      .map((letter) => (UNSEEN.test(letter) || '"\\'.includes(letter) ? escapedLetter(letter) : letter))
      .join("");
  });
}

const escapedLetter = (letter: string) =>
  [...Array(letter.length).keys()]
    .map((at) => `\\u${letter.charCodeAt(at).toString(16).padStart(4, "0")}`)
    .join("");

/** A leaf's own text, all of it. */
export function wholeTextOf(index: TreeIndex, node: number): string {
  return decoder.decode(index.bytes.subarray(index.start[node] as number, index.end[node] as number));
}

/** The node's path, `$.fee.lines[2]['net price']`. */
export function pathOf(index: TreeIndex, node: number): string {
  const parts: string[] = [];
  for (let at = node; (index.parent[at] as number) >= 0; at = index.parent[at] as number) {
    const key = keyOf(index, at);
    const inList = index.kind[index.parent[at] as number] === KIND.list;
    parts.push(inList ? `[${key}]` : fieldOf("", key));
  }
  return `$${parts.reverse().join("")}`;
}

export function isBranch(index: TreeIndex, node: number): boolean {
  return (index.kind[node] as number) <= KIND.list;
}

/** Which branches are open at first: all of a small answer, the top of a large one. */
export function openAtFirst(index: TreeIndex): Set<number> {
  const open = new Set<number>();
  const deepest = index.count <= 300 ? 64 : index.count <= 3000 ? 2 : 1;
  for (let node = 0; node < index.count && open.size < 2000; node++) {
    if (isBranch(index, node) && (index.depth[node] as number) < deepest) open.add(node);
  }
  return open;
}

/** The nodes that can be seen, in order; closed branches' insides are passed over. The root itself is not a row. */
export function visible(index: TreeIndex, open: Set<number>): Int32Array {
  const rows = new Int32Array(index.count);
  let count = 0;
  let node = isBranch(index, 0) ? 1 : 0;
  while (node < index.count) {
    rows[count++] = node;
    node += open.has(node) || !isBranch(index, node) ? 1 : (index.span[node] as number);
  }
  return rows.subarray(0, count);
}

const PREFERRED = ["name", "id", "code", "key", "title", "number", "label"];
const MOST_ITEMS = 500;

/** The same place by what its list's item is called rather than by its number: `$.items[?@.name == 'East 4'].metres`. None
 * outside lists, and where no field tells the items apart. */
export function pathByName(
  index: TreeIndex,
  node: number,
): { path: string; field: string; value: string } | undefined {
  let item = node;
  while (item > 0 && index.kind[index.parent[item] as number] !== KIND.list)
    item = index.parent[item] as number;
  if (item <= 0 || index.kind[item] !== KIND.object) return undefined;
  const list = index.parent[item] as number;
  const fields = childrenOf(index, item).filter((child) => {
    const kind = index.kind[child];
    return child !== node && (kind === KIND.text || kind === KIND.number);
  });
  const rank = (child: number) => (PREFERRED.indexOf(keyOf(index, child)) + 99) % 99;
  fields.sort((left, right) => rank(left) - rank(right));
  const others = childrenOf(index, list)
    .slice(0, MOST_ITEMS)
    .filter((other) => other !== item);
  for (const child of fields) {
    const name = keyOf(index, child);
    const value = wholeTextOf(index, child);
    const twice = others.some((other) =>
      childrenOf(index, other).some(
        (field) => keyOf(index, field) === name && wholeTextOf(index, field) === value,
      ),
    );
    if (twice || !isShort(name) || value.length > 120) continue;
    const plain = value.startsWith('"') ? (JSON.parse(value) as string) : value;
    const literal = value.startsWith('"') && !/['\\]/.test(plain) ? `'${plain}'` : value;
    const rest = pathOf(index, node).slice(pathOf(index, item).length);
    return { path: `${pathOf(index, list)}[?@.${name} == ${literal}]${rest}`, field: name, value: plain };
  }
  return undefined;
}

/** The direct children of a branch. */
export function childrenOf(index: TreeIndex, node: number): number[] {
  const found: number[] = [];
  const end = node + (index.span[node] as number);
  if (!isBranch(index, node)) return found;
  for (let child = node + 1; child < end; ) {
    found.push(child);
    child += Math.max(isBranch(index, child) ? (index.span[child] as number) : 1, 1);
  }
  return found;
}
