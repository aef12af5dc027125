import type { DragEventHandler } from "react";
import { Link } from "react-router";
import type { CaseLine, Suite } from "../../../api";
import { useMay } from "../../../api/may";
import { count, duration, exactly, lasting } from "../../../base/format";
import { Menu } from "../../../parts/menu/Menu";
import { VerdictLine, VerdictMark } from "../../../parts/VerdictMark";
import { CASE } from "./dragging";

type Role = CaseLine["role"];

/** What a case can be in its suite, how it is made so, and how that is said of it. */
const ROLES: { role: Role; label: string; said: string }[] = [
  { role: "set up", label: "the suite’s set-up", said: "runs once before the others" },
  { role: "clean up", label: "the suite’s clean-up", said: "runs once after the others" },
  { role: "", label: "the suite’s other cases", said: "" },
];

interface Props {
  line: CaseLine;
  ticked: boolean;
  tick: () => void;
  over: boolean;
  onto: Record<"onDragOver" | "onDragLeave" | "onDrop", DragEventHandler>;
  move: (by: number) => void;
  suites: Suite[];
  /** A suite’s name, after the folders that it stands in. */
  called: (suite: Suite) => string;
  into: (suite: Suite) => void;
  turnInto: (role: Role) => void;
  remove: () => void;
}

/** A case in the outline: its verdict, since when, and the last runs. */
export function CaseRow({
  line,
  ticked,
  tick,
  over,
  onto,
  move,
  suites,
  called,
  into,
  turnInto,
  remove,
}: Props) {
  const last = line.last;
  const may = useMay("edit");
  const roles = ROLES.filter(({ role }) => role !== line.role);
  const items = [
    ...roles.map(({ role, label }) => ({ key: `role ${role}`, label })),
    ...suites.map((suite) => ({ key: suite.id, label: called(suite) })),
  ];
  const picked = (key: string) => {
    const role = roles.find((item) => key === `role ${item.role}`)?.role;
    if (role !== undefined) turnInto(role);
    else into(suites.find((suite) => suite.id === key) as Suite);
  };
  return (
    <li
      className={over ? "case-line over" : "case-line"}
      draggable={may}
      onDragStart={(event) => event.dataTransfer.setData(CASE, line.id)}
      {...onto}
      onKeyDown={(event) => {
        const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
        if (!by || !event.altKey || !may) return;
        event.preventDefault();
        move(by);
      }}
    >
      <input
        type="checkbox"
        className="tick"
        aria-label={`Tick ${line.name}`}
        checked={ticked}
        onChange={tick}
      />
      <VerdictMark verdict={last?.verdict ?? "waiting"} />
      <span className="case-name">
        <Link to={`/cases/${line.id}`} draggable={false}>
          {line.name}
        </Link>
        <span className="muted small">
          {count(line.steps, "step")} · {count(line.checks, "check")}
          {line.role && ` · ${ROLES.find(({ role }) => role === line.role)?.said}`}
          {line.register && ` · ${line.register}`}
          {line.tags.length > 0 && ` · ${line.tags.join(", ")}`}
        </span>
      </span>
      <span className="row-tools" data-needs="edit">
        <Menu items={items} pick={picked} aria-label={`move to… ${line.name}`}>
          move to…
        </Menu>
        <button data-needs="edit" type="button" aria-label={`Delete the case ${line.name}`} onClick={remove}>
          delete
        </button>
      </span>
      <span className="muted" title={exactly(last?.since)}>
        {last ? since(last.verdict, last.since) : "not run yet"}
      </span>
      <span className="number">{duration(last?.ms)}</span>
      {last ? (
        <Link to={`/cases/${line.id}/runs`} aria-label="its last runs" draggable={false}>
          <VerdictLine verdicts={last.verdicts} />
        </Link>
      ) : (
        <span />
      )}
    </li>
  );
}

/** How it has stood, and for how long: "passed for 3 days"; what has just come is so "just now". */
function since(verdict: string, begun: string): string {
  const long = lasting(begun);
  return long === "a moment" ? `${verdict} just now` : `${verdict} for ${long}`;
}
