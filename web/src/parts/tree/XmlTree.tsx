import { type KeyboardEvent, useMemo, useRef, useState } from "react";
import type { Outcome } from "../../api";
import { singleKeys } from "../../base/finding";
import type { Acts, Picked, Watched } from "./picked";
import type { XmlAnswer, XmlRow } from "./xml";

interface Props {
  answer: XmlAnswer;
  checks: Outcome[];
  keeps: { name: string; of: string }[];
  acts: Acts | undefined;
}

/** An XML answer as a tree, with its namespaces; a place gives an XPath as a JSON one gives a JSONPath. */
export function XmlTree({ answer, checks, keeps, acts }: Props) {
  const [closed, setClosed] = useState<ReadonlySet<number>>(new Set());
  const [focus, setFocus] = useState(0);
  const [acting, setActing] = useState<{ row: number; asked: string }>();
  const offered = useRef(acting);
  offered.current = acting;
  const tree = useRef<HTMLDivElement>(null);
  const { rows } = answer;
  const watched = useMemo(() => watchedRows(answer, checks, keeps), [answer, checks, keeps]);
  const shown = useMemo(() => {
    const hidden = new Set<number>();
    rows.forEach((row, at) => {
      if (row.parent >= 0 && (hidden.has(row.parent) || closed.has(row.parent))) hidden.add(at);
    });
    return rows.map((_, at) => at).filter((at) => !hidden.has(at));
  }, [rows, closed]);
  const twist = (at: number) => {
    const next = new Set(closed);
    if (!next.delete(at)) next.add(at);
    setClosed(next);
  };
  const act = (at: number, key: string) => {
    const picked = [pickedOf(rows, at)];
    if (key && acts?.press(picked, key)) setActing(undefined);
    else setActing({ row: at, asked: key });
  };
  const keys = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget || event.ctrlKey || event.altKey || event.metaKey) return;
    const place = shown.indexOf(focus);
    const row = rows[focus];
    const go = (to: number) => setFocus(shown[Math.max(0, Math.min(shown.length - 1, to))] ?? 0);
    const moves: Record<string, () => void> = {
      ArrowDown: () => go(place + 1),
      ArrowUp: () => go(place - 1),
      Home: () => go(0),
      End: () => go(shown.length - 1),
      ArrowRight: () => (closed.has(focus) ? twist(focus) : go(place + 1)),
      ArrowLeft: () =>
        row?.children && !closed.has(focus) ? twist(focus) : setFocus(Math.max(row?.parent ?? 0, 0)),
      Enter: () => row?.children && twist(focus),
      Escape: () => setActing(undefined),
    };
    if (acts?.keys.includes(event.key) && singleKeys()) act(focus, event.key);
    else if (moves[event.key]) moves[event.key]?.();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="tree">
      {answer.fault && (
        <p className="blocked-note" role="note">
          This is a SOAP fault. {answer.fault}
        </p>
      )}
      <div
        ref={tree}
        role="tree"
        tabIndex={0}
        className="xml-rows"
        aria-label="The answer as a tree"
        aria-activedescendant={`xml-${focus}`}
        onKeyDown={keys}
      >
        {shown.map((at) => {
          const row = rows[at] as XmlRow;
          const watch = watched.get(at);
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: the tree itself takes the keys (aria-activedescendant)
            // biome-ignore lint/a11y/useFocusableInteractive: as above
            <div
              key={row.path}
              id={`xml-${at}`}
              role="treeitem"
              aria-level={row.depth}
              aria-expanded={row.children ? !closed.has(at) : undefined}
              aria-selected={at === focus}
              className={at === focus ? "tree-row focused" : "tree-row"}
              style={{ paddingLeft: 16 + (row.depth - 1) * 18 }}
              onClick={(event) => {
                setFocus(at);
                if (event.target instanceof HTMLElement && event.target.className === "twist") twist(at);
                else if (acts) act(at, "");
              }}
            >
              <span className="twist" aria-hidden="true">
                {row.children ? (closed.has(at) ? "▶" : "▼") : ""}
              </span>
              <span className="tree-key">{row.name}</span>
              <span className="tree-value">{row.value ?? ""}</span>
              {watch && <span className={`tree-watch ${watch.tone}`}>{watch.text}</span>}
            </div>
          );
        })}
      </div>
      {acts && acting && (
        <div className="acts xml-acts">
          {acts.show([pickedOf(rows, acting.row)], acting.asked, () => {
            if (offered.current === acting) setActing(undefined);
            tree.current?.focus({ preventScroll: true });
          })}
        </div>
      )}
    </div>
  );
}

/** A row as acts see it. An element that holds others can be expected to be there. */
function pickedOf(rows: XmlRow[], at: number): Picked {
  const row = rows[at] as XmlRow;
  return {
    path: row.path,
    kind: row.value === undefined ? "object" : "text",
    text: row.value === undefined ? "" : JSON.stringify(row.value),
    count: row.children,
    named: () => undefined,
    below: () =>
      rows.flatMap((item, index) =>
        item.value !== undefined && within(rows, index, at) ? pickedOf(rows, index) : [],
      ),
  };
}

function within(rows: XmlRow[], index: number, above: number): boolean {
  let at = index;
  while (at > above) at = rows[at]?.parent ?? -1;
  return at === above;
}

/** Which check or keep watches which row. */
function watchedRows(answer: XmlAnswer, checks: Outcome[], keeps: Props["keeps"]): Map<number, Watched> {
  const watched = new Map<number, Watched>();
  const note = (path: string, watch: Watched) => {
    const nodes = answer.find(path);
    answer.rows.forEach((row, at) => {
      if (nodes.has(row.node) && watched.get(at)?.tone !== "failed") watched.set(at, watch);
    });
  };
  for (const keep of keeps)
    note(keep.of.split(" | ")[0] ?? "", { text: `kept as ${keep.name}`, tone: "kept" });
  for (const check of checks) {
    const path = check.of.startsWith("/") ? check.of.split(" | ")[0] : undefined;
    if (path && check.verdict === "passed") note(path, { text: "checked", tone: "checked" });
    if (check.verdict !== "failed") continue;
    const text = `wanted ${check.why?.wanted || "otherwise"}`;
    for (const place of check.where) note(place, { text, tone: "failed" });
  }
  return watched;
}
