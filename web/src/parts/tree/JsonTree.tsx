import { type KeyboardEvent, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { singleKeys } from "../../base/finding";
import { Coverage } from "./Coverage";
import { FindIn } from "./FindIn";
import type { Asked, Reply } from "./index.worker";
import type { TreeIndex } from "./indexer";
import { type Acts, pickedOf, type Watched } from "./picked";
import { RawBytes } from "./RawBytes";
import { isBranch, openAtFirst, pathOf, visible } from "./reading";
import { TreeRow } from "./TreeRow";
import { useMarks } from "./useMarks";
import { useWindow } from "./useWindow";

type Loaded = { address: string; reply: Reply };
const ROW = 24;
/** So many nodes are seen at a glance. */
const FEW = 30;

/** An answer as a tree. Any size: it is indexed in a worker, and only the rows in sight are drawn. */
export function JsonTree({
  address,
  lines = false,
  watch,
  acts,
}: {
  address: string;
  /** It is one JSON text a line, and shown as a list of them. */
  lines?: boolean;
  watch: (path: string) => Watched | undefined;
  acts?: Acts;
}) {
  const [loaded, setLoaded] = useState<Loaded>();
  useEffect(() => {
    const worker = new Worker(new URL("./index.worker.ts", import.meta.url), { type: "module" });
    worker.onmessage = (message: MessageEvent<Reply>) => setLoaded({ address, reply: message.data });
    worker.postMessage({ address, lines } satisfies Asked);
    return () => worker.terminate();
  }, [address, lines]);
  if (!loaded || loaded.address !== address) return <p className="muted pad">Reading the answer…</p>;
  const reply = loaded.reply;
  if ("problem" in reply) return <p className="pad">{reply.problem}</p>;
  if ("raw" in reply) return <RawBytes bytes={reply.raw} />;
  return <Rows key={address} index={reply.index} watch={watch} acts={acts} />;
}

interface RowsProps {
  index: TreeIndex;
  watch: (path: string) => Watched | undefined;
  acts: Acts | undefined;
}

function Rows({ index, watch, acts }: RowsProps) {
  const [open, setOpen] = useState(() => openAtFirst(index));
  const [focus, setFocus] = useState(0);
  const { acting, setActing, offered, marked, mark, pick, leave, chosen } = useMarks(index);
  const rows = useMemo(() => visible(index, open), [index, open]);
  const box = useRef<HTMLDivElement>(null);
  const tree = useRef<HTMLDivElement>(null);
  const view = useWindow(box, rows.length, ROW);
  const finding = useRef<HTMLInputElement>(null);
  /** The node becomes a row that is in sight, whatever was closed above it. */
  const show = (node: number) => {
    const next = new Set(open);
    for (let above = index.parent[node] as number; above >= 0; above = index.parent[above] as number)
      next.add(above);
    const row = visible(index, next).indexOf(node);
    setOpen(next);
    setFocus(row);
    setActing(undefined);
    // What was closed has no height yet.
    window.requestAnimationFrame(() => view.reveal(row, true));
  };

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
  const keys = (event: KeyboardEvent) => {
    const node = rows[focus] ?? 0;
    if (event.target !== event.currentTarget) return;
    if (event.key.toLowerCase() === "f" && (event.ctrlKey || event.metaKey) && finding.current) {
      event.preventDefault();
      finding.current.select();
      return;
    }
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
        drag={acts?.drag && ((begun) => acts.drag?.(begun ? pickedOf(index, node) : undefined))}
        onPick={(several, twist) => {
          setFocus(row);
          if (twist) return toggle(node);
          if (several) return mark(node);
          pick(node);
          if (isBranch(index, node) && !acts) toggle(node);
        }}
      />,
    );
  }
  const current = rows[focus];
  return (
    <>
      {index.count > FEW && (
        <FindIn index={index} field={finding} show={show} leave={() => tree.current?.focus()} />
      )}
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
                if (offered.current !== acting) return; // another node was picked while this one's act was carried out
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
