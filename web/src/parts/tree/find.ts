import type { TreeIndex } from "./indexer";

const MOST_FOUND = 10_000;
const encoder = new TextEncoder();

/** The nodes whose key or value holds a text, whatever its case, in document order; branches by their key. It looks through the bytes,
 * so that 10 MB take as long as a key press may. */
export function found(index: TreeIndex, wanted: string): number[] {
  const text = wanted.trim();
  if (!text) return [];
  const nodes = new Set<number>();
  for (const needle of new Set([text, escaped(text.toLowerCase()), escaped(text.toUpperCase())])) {
    for (const at of places(index.bytes, needle)) {
      const node = nodeAt(index, at);
      if (node !== undefined) nodes.add(node);
      if (nodes.size >= MOST_FOUND) break;
    }
  }
  return [...nodes].sort((left, right) => left - right);
}

/** As a server writes it that escapes all that is not ASCII. */
const escaped = (text: string) =>
  text.replace(/[^\x20-\x7e]/g, (unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, "0")}`);

/** Where a text begins in UTF-8, whatever its case where both have as many bytes. */
function* places(bytes: Uint8Array, text: string): Generator<number> {
  const small = encoder.encode(text.toLowerCase());
  const large = encoder.encode(text.toUpperCase());
  const other = large.length === small.length ? large : small;
  const last = bytes.length - small.length;
  const [first, second] = [small[0], other[0]];
  for (let at = 0; at <= last; at++) {
    const byte = bytes[at];
    if (byte !== first && byte !== second) continue;
    let length = 1;
    while (length < small.length) {
      const there = bytes[at + length];
      if (there !== small[length] && there !== other[length]) break;
      length++;
    }
    if (length === small.length) yield at;
  }
}

/** The node whose key or leaf stands at a byte; undefined for what stands between them. */
function nodeAt(index: TreeIndex, at: number): number | undefined {
  let low = 0;
  let high = index.count - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    const begin = Math.min(index.keyStart[middle] as number, index.start[middle] as number);
    const isItem = index.keyStart[middle] === index.keyEnd[middle];
    if ((isItem ? (index.start[middle] as number) : begin) <= at) low = middle;
    else high = middle - 1;
  }
  const inKey = at >= (index.keyStart[low] as number) && at < (index.keyEnd[low] as number);
  const isLeaf = (index.kind[low] as number) > 1;
  const inLeaf = isLeaf && at >= (index.start[low] as number) && at < (index.end[low] as number);
  return inKey || inLeaf ? low : undefined;
}
