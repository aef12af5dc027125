import type { DragEventHandler } from "react";
import { Link } from "react-router";
import type { CaseLine, Suite } from "../../../api";
import { count, duration, exactly, lasting } from "../../../base/format";
import { Menu } from "../../../parts/menu/Menu";
import { VerdictLine, VerdictMark } from "../../../parts/VerdictMark";
import { CASE } from "./dragging";

interface Props {
  line: CaseLine;
  over: boolean;
  onto: Record<"onDragOver" | "onDragLeave" | "onDrop", DragEventHandler>;
  move: (by: number) => void;
  suites: Suite[];
  into: (suite: Suite) => void;
  remove: () => void;
}

/** A case in the outline: its verdict, since when, and the last runs. */
export function CaseRow({ line, over, onto, move, suites, into, remove }: Props) {
  const last = line.last;
  const items = suites.map((suite) => ({ key: suite.id, label: suite.name }));
  return (
    <li
      className={over ? "case-line over" : "case-line"}
      draggable
      onDragStart={(event) => event.dataTransfer.setData(CASE, line.id)}
      {...onto}
      onKeyDown={(event) => {
        const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
        if (!by || !event.altKey) return;
        event.preventDefault();
        move(by);
      }}
    >
      <VerdictMark verdict={last?.verdict ?? "waiting"} />
      <span className="case-name">
        <Link to={`/cases/${line.id}`} draggable={false}>
          {line.name}
        </Link>
        <span className="muted small">
          {count(line.steps, "step")} · {count(line.checks, "check")}
          {line.register && ` · ${line.register}`}
          {line.tags.length > 0 && ` · ${line.tags.join(", ")}`}
        </span>
      </span>
      <span className="row-tools">
        {items.length > 0 && (
          <Menu
            items={items}
            pick={(key) => into(suites.find((suite) => suite.id === key) as Suite)}
            aria-label={`move to… ${line.name}`}
          >
            move to…
          </Menu>
        )}
        <button type="button" aria-label={`Delete the case ${line.name}`} onClick={remove}>
          delete
        </button>
      </span>
      <span className="muted" title={exactly(last?.since)}>
        {last ? since(last.verdict, last.since) : "not run yet"}
      </span>
      <span className="number">{duration(last?.ms)}</span>
      {last ? <VerdictLine verdicts={last.verdicts} /> : <span />}
    </li>
  );
}

/** How it has stood, and for how long: "passed for 3 days"; what has just come is so "just now". */
function since(verdict: string, begun: string): string {
  const long = lasting(begun);
  return long === "a moment" ? `${verdict} just now` : `${verdict} for ${long}`;
}
