import { whole } from "../../base/format";
import { KIND, type TreeIndex } from "./indexer";
import type { Watched } from "./picked";
import { isBranch, keyOf, pathOf, textOf } from "./reading";

interface RowProps {
  index: TreeIndex;
  node: number;
  top: number;
  open: boolean;
  focused: boolean;
  marked: boolean;
  watched: Watched | undefined;
  drag: ((begun: boolean) => void) | undefined;
  onPick: (several: boolean, twist: boolean) => void;
}

/** One row: the key, the value as it came, and what watches it. */
export function TreeRow({ index, node, top, open, focused, marked, watched, drag, onPick }: RowProps) {
  const branch = isBranch(index, node);
  const parent = index.parent[node] as number;
  const children = index.children[node] as number;
  const kind = index.kind[node];
  const shown =
    kind === KIND.object
      ? `{${whole(children)}}`
      : kind === KIND.list
        ? `[${whole(children)}]`
        : textOf(index, node);
  const depth = index.depth[node] as number;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the tree itself takes the keys (aria-activedescendant)
    // biome-ignore lint/a11y/useFocusableInteractive: as above
    <div
      id={`node-${node}`}
      className={`tree-row${focused ? " focused" : ""}${marked ? " marked" : ""}`}
      role="treeitem"
      aria-level={Math.max(depth, 1)}
      aria-setsize={parent >= 0 ? (index.children[parent] as number) : 1}
      aria-posinset={(index.place[node] as number) + 1}
      aria-expanded={branch ? open : undefined}
      aria-selected={marked || focused}
      style={{ top, paddingLeft: 16 + Math.max(depth - 1, 0) * 22 }}
      draggable={Boolean(drag)}
      onDragStart={(event) => {
        event.dataTransfer.effectAllowed = "link";
        event.dataTransfer.setData("text/plain", pathOf(index, node));
        // A page that changes within this very event would end the drag.
        window.setTimeout(() => drag?.(true));
      }}
      onDragEnd={() => drag?.(false)}
      onClick={(event) =>
        onPick(
          event.ctrlKey || event.metaKey,
          event.target instanceof HTMLElement && event.target.className === "twist",
        )
      }
    >
      <span className="twist" aria-hidden="true">
        {branch && children > 0 ? (open ? "▼" : "▶") : ""}
      </span>
      {parent >= 0 && <span className="tree-key">{keyOf(index, node)}</span>}
      <span className={branch ? "tree-value muted" : "tree-value"}>{shown}</span>
      {watched && <span className={`tree-watch ${watched.tone}`}>{watched.text}</span>}
    </div>
  );
}
