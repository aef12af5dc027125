import type { ReactNode } from "react";
import { KIND, type TreeIndex } from "./indexer";
import { isBranch, pathByName, pathOf, wholeTextOf } from "./reading";

/** What a node's margin says: which check or keep watches it. */
export interface Watched {
  text: string;
  tone: "checked" | "failed" | "kept" | "open";
}

/** One node, as an act upon it sees it. `text`: a leaf's JSON as it came; `count`: how many are in a branch. */
export interface Picked {
  path: string;
  kind: "object" | "list" | "text" | "number" | "boolean" | "null";
  text: string;
  count: number;
  /** What the number is measured in: microseconds, or bytes. */
  unit?: "duration" | "size";
  /** The same place by the name of its list's item. */
  named: () => { path: string; field: string; value: string } | undefined;
  /** Every leaf and empty branch below a branch. */
  below: () => Picked[];
}

/** What can be made of nodes, one or several. `show` is drawn under the last one; a key is first offered to `press`, which
 * says that it did it all. */
export interface Acts {
  keys: string;
  press: (picked: Picked[], key: string) => boolean;
  show: (picked: Picked[], key: string, close: () => void) => ReactNode;
  /** A node is being dragged; undefined when it was let go. Without it there is nowhere to drag one. */
  drag?: ((picked: Picked | undefined) => void) | undefined;
  /** Said below the tree while nothing was made of it yet. */
  hint: string;
  /** Expect every field that no check watches as it is. */
  rest: (unchecked: Picked[]) => void;
}

/** A node of the index as acts see it. */
export function pickedOf(index: TreeIndex, node: number): Picked {
  const branch = isBranch(index, node);
  const text = branch ? "" : wholeTextOf(index, node);
  const kind = branch
    ? index.kind[node] === KIND.list
      ? "list"
      : "object"
    : text.startsWith('"')
      ? "text"
      : text === "null"
        ? "null"
        : text === "true" || text === "false"
          ? "boolean"
          : "number";
  return {
    path: pathOf(index, node),
    kind,
    text,
    count: index.children[node] as number,
    named: () => pathByName(index, node),
    below: () => leavesOf(index, node).map((leaf) => pickedOf(index, leaf)),
  };
}

function leavesOf(index: TreeIndex, node: number): number[] {
  const leaves: number[] = [];
  const end = node + (isBranch(index, node) ? (index.span[node] as number) : 1);
  for (let item = node; item < end; item++)
    if (!isBranch(index, item) || index.children[item] === 0) leaves.push(item);
  return leaves;
}
