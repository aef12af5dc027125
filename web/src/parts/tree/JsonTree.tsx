import { type KeyboardEvent, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { singleKeys } from "../../app/finding";
import { whole } from "../../app/format";
import type { Reply } from "./index.worker";
import { KIND, type TreeIndex } from "./indexer";
import { isBranch, keyOf, openAtFirst, pathByName, pathOf, textOf, visible, wholeTextOf } from "./reading";
import { useWindow } from "./useWindow";

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
  show: (picked: Picked[], key: string, close: () => void) => React.ReactNode;
  /** A node is being dragged; undefined when it was let go. */
  drag: (picked: Picked | undefined) => void;
  /** Said below the tree while nothing was made of it yet. */
  hint: string;
  /** Expect every field that no check watches as it is. */
  rest: (unchecked: Picked[]) => void;
}

type Loaded = { address: string; reply: Reply };
const ROW = 24;

/** An answer as a tree. Any size: it is indexed in a worker, and only the rows in sight are drawn. */
export function JsonTree({
  address,
  watch,
  acts,
}: {
  address: string;
  watch: (path: string) => Watched | undefined;
  acts?: Acts;
}) {
  const [loaded, setLoaded] = useState<Loaded>();
  useEffect(() => {
    const worker = new Worker(new URL("./index.worker.ts", import.meta.url), { type: "module" });
    worker.onmessage = (message: MessageEvent<Reply>) => setLoaded({ address, reply: message.data });
    worker.postMessage(address);
    return () => worker.terminate();
  }, [address]);
  if (!loaded || loaded.address !== address) return <p className="muted pad">Reading the answer…</p>;
  const reply = loaded.reply;
  if ("problem" in reply) return <p className="pad">{reply.problem}</p>;
  if ("raw" in reply) return <RawBytes bytes={reply.raw} />;
  return <Rows key={address} index={reply.index} watch={watch} acts={acts} />;
}

function RawBytes({ bytes }: { bytes: Uint8Array<ArrayBuffer> }) {
  const text = useMemo(() => new TextDecoder().decode(bytes.subarray(0, 100_000)), [bytes]);
  if (!bytes.length) return <p className="muted pad">The answer has no body.</p>;
  return (
    <>
      <p className="muted pad">This body is not JSON, so it is shown as it came.</p>
      <pre className="code pad">{text}</pre>
    </>
  );
}

interface RowsProps {
  index: TreeIndex;
  watch: (path: string) => Watched | undefined;
  acts: Acts | undefined;
}

function Rows({ index, watch, acts }: RowsProps) {
  const [open, setOpen] = useState(() => openAtFirst(index));
  const [focus, setFocus] = useState(0);
  const [acting, setActing] = useState<{ node: number; asked: string }>();
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const rows = useMemo(() => visible(index, open), [index, open]);
  const box = useRef<HTMLDivElement>(null);
  const tree = useRef<HTMLDivElement>(null);
  const view = useWindow(box, rows.length, ROW);

  const toggle = (node: number) => {
    const next = new Set(open);
    if (!next.delete(node)) next.add(node);
    setOpen(next);
  };
  const go = (row: number) => {
    const next = Math.max(0, Math.min(rows.length - 1, row));
    setFocus(next);
    view.reveal(next);
  };
  const mark = (node: number) => {
    const next = new Set(marked);
    if (!next.delete(node)) next.add(node);
    setMarked(next);
    setActing(
      next.size ? { node: next.has(node) ? node : ([...next].pop() as number), asked: "" } : undefined,
    );
  };
  const leave = () => {
    setActing(undefined);
    setMarked(new Set());
  };
  /** What an act is about: the marked nodes in their order, or the one in focus. */
  const chosen = (node: number) =>
    (marked.size ? [...marked].sort((left, right) => left - right) : [node]).map((item) =>
      pickedOf(index, item),
    );
  const keys = (event: KeyboardEvent) => {
    const node = rows[focus] ?? 0;
    if (event.target !== event.currentTarget) return;
    if (acts?.keys.includes(event.key) && singleKeys() && !event.ctrlKey && !event.altKey && !event.metaKey) {
      event.preventDefault();
      event.stopPropagation();
      if (acts.press(chosen(node), event.key)) leave();
      else setActing({ node, asked: event.key });
      return;
    }
    if (event.key === "Escape") leave();
    if (event.key === " " && acts) {
      event.preventDefault();
      mark(node);
      return;
    }
    const moves: Record<string, () => void> = {
      ArrowDown: () => go(focus + 1),
      ArrowUp: () => go(focus - 1),
      PageDown: () => go(focus + 20),
      PageUp: () => go(focus - 20),
      Home: () => go(0),
      End: () => go(rows.length - 1),
      ArrowRight: () => (isBranch(index, node) && !open.has(node) ? toggle(node) : go(focus + 1)),
      ArrowLeft: () => (open.has(node) ? toggle(node) : go(rows.indexOf(index.parent[node] as number))),
      Enter: () => isBranch(index, node) && toggle(node),
    };
    const move = moves[event.key];
    if (!move || event.ctrlKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    move();
  };

  // What can be made of a node stands under it, and the rows below make room.
  const actsBox = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(0);
  const actingRow = acts && acting ? rows.indexOf(acting.node) : -1;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another act has another height
  useLayoutEffect(() => {
    const bar = actsBox.current;
    if (!bar) return setRoom(0);
    const measure = () => setRoom(bar.offsetHeight + 6);
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(bar);
    return () => observer.disconnect();
  }, [actingRow, acting]);
  const drawn: React.ReactNode[] = [];
  for (let row = view.first; row < view.last; row++) {
    const node = rows[row] as number;
    drawn.push(
      <TreeRow
        key={node}
        index={index}
        node={node}
        top={row * ROW + (actingRow >= 0 && row > actingRow ? room : 0)}
        open={open.has(node)}
        focused={row === focus}
        marked={marked.has(node)}
        watched={watch(pathOf(index, node))}
        drag={acts && ((begun) => acts.drag(begun ? pickedOf(index, node) : undefined))}
        onPick={(several, twist) => {
          setFocus(row);
          if (twist) return toggle(node);
          if (several) return mark(node);
          setMarked(new Set());
          setActing({ node, asked: "" });
          if (isBranch(index, node) && !acts) toggle(node);
        }}
      />,
    );
  }
  const current = rows[focus];
  return (
    <>
      <div ref={box} className="tree" onScroll={view.onScroll}>
        <div style={{ height: rows.length * ROW + room, position: "relative" }}>
          <div
            ref={tree}
            className="tree-rows"
            role="tree"
            tabIndex={0}
            aria-label="The answer as a tree"
            aria-multiselectable={acts ? true : undefined}
            aria-activedescendant={current === undefined ? undefined : `node-${current}`}
            onKeyDown={keys}
          >
            {drawn}
          </div>
          {acts && acting && actingRow >= 0 && (
            <div ref={actsBox} className="acts" style={{ top: (actingRow + 1) * ROW + 3 }}>
              {acts.show(chosen(acting.node), acting.asked, () => {
                leave();
                tree.current?.focus({ preventScroll: true });
              })}
            </div>
          )}
        </div>
      </div>
      {acts?.hint && <p className="tree-hint muted small">{acts.hint}</p>}
      <Coverage index={index} watch={watch} rest={acts?.rest} />
    </>
  );
}

const MOST_COUNTED = 3000;
const MOST_AT_ONCE = 60;

/** How many of the answer's fields a check watches, and the rest of them made into checks in one act. */
function Coverage({ index, watch, rest }: Omit<RowsProps, "acts"> & { rest: Acts["rest"] | undefined }) {
  const [fields, unchecked] = useMemo(() => {
    const leaves: number[] = [];
    if (index.count > MOST_COUNTED) return [0, leaves];
    for (let node = 1; node < index.count; node++) if (!isBranch(index, node)) leaves.push(node);
    const open = leaves.filter((node) => !/checked|failed/.test(watch(pathOf(index, node))?.tone ?? ""));
    return [leaves.length, open];
  }, [index, watch]);
  if (!fields) return null;
  const checked = fields - unchecked.length;
  return (
    <div className="coverage">
      <meter min={0} max={fields} value={checked} aria-label="Fields of the answer that are checked" />
      <span>
        {whole(checked)} of {whole(fields)} fields are checked
      </span>
      {rest && unchecked.length > 0 && unchecked.length <= MOST_AT_ONCE && (
        <button
          type="button"
          className="plain-link"
          onClick={() => rest(unchecked.map((node) => pickedOf(index, node)))}
        >
          expect the rest as it is
        </button>
      )}
    </div>
  );
}

function pickedOf(index: TreeIndex, node: number): Picked {
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

function TreeRow({ index, node, top, open, focused, marked, watched, drag, onPick }: RowProps) {
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
      <span className={`tree-watch ${watched?.tone ?? "none"}`}>
        {watched?.text ?? (branch ? "" : "not checked")}
      </span>
    </div>
  );
}
