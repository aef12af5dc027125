import { memo } from "react";
import type { RunCase, RunRow } from "../../../api";
import { count, duration } from "../../../base/format";
import { VerdictMark } from "../../../parts/VerdictMark";
import { cellId, ROW_HEIGHT } from "../rows/cells";
import type { Chosen } from "../rows/chosen";
import { type Facts, total } from "../rows/rows";
import { StepCell, trouble } from "../rows/StepCell";
import { useRows } from "../rows/useRows";
import { stepsOf } from "./lines";

interface Props {
  run: string;
  /** The run went to several environments. */
  several: boolean;
  entry: RunCase;
  /** Of a row its place among the case's; undefined: it is the case itself. */
  row: number | undefined;
  at: number;
  columns: number;
  template: string;
  facts: Facts;
  scale: number;
  /** The column that the keys are at. */
  focused: number | undefined;
  chosen: Chosen | undefined;
  choose: (chosen: Chosen) => void;
  /** Whether its rows are shown below it. */
  open: boolean;
  turn: (position: number) => void;
}

/** One line of the matrix: a case, or one of its rows. */
export const CaseLine = memo(function CaseLine({ row, ...props }: Props) {
  return row === undefined ? <Whole {...props} row={row} /> : <OneRow {...props} row={row} />;
});

const IN_ORDER = { by: "number", down: false };
const NONE: ReadonlySet<never> = new Set();

function OneRow(props: Props & { row: number }) {
  const { run, entry, row } = props;
  const { position, rows } = entry;
  const asked = { run, position, order: IN_ORDER, verdicts: NONE, facts: props.facts };
  const of = entry.rows ? total(entry.rows, NONE) : 0;
  const read = useRows({ ...asked, count: of, first: row, last: row + 1 }).row(row);
  const values = (rows?.columns ?? []).slice(0, 3).map((name) => read?.data[name] ?? "");
  return (
    <Cells {...props} read={read}>
      {read && <VerdictMark verdict={read.verdict} size={12} />}
      <span className="line-row">
        {read ? [`row ${read.row}`, ...values.filter(Boolean)].join(" · ") : ""}
      </span>
    </Cells>
  );
}

function Whole(props: Props) {
  const { entry, open, several } = props;
  const waits = entry.state === "running" ? "running" : "waiting";
  return (
    <Cells {...props} read={undefined}>
      <VerdictMark verdict={entry.verdict ?? waits} size={13} />
      <span className="line-case" title={entry.name}>
        {entry.name}
      </span>
      {several && <span className="muted small">{entry.environment}</span>}
      {entry.rows && (
        <span className="muted small">
          {open ? "▾" : "▸"} {count(total(entry.rows, NONE), "row")}
        </span>
      )}
    </Cells>
  );
}

interface CellsProps extends Props {
  read: RunRow | undefined;
  children: React.ReactNode;
}

function Cells(props: CellsProps) {
  const { entry, row, at, template, columns, facts, scale, chosen, focused, open, choose, turn, read } =
    props;
  const steps = stepsOf(entry, read);
  const number = row === undefined ? (entry.rows ? 0 : undefined) : read?.row;
  const here = chosen?.position === entry.position && chosen.row === number ? chosen : undefined;
  const unfolds = row === undefined && entry.rows ? { "aria-expanded": open } : {};
  const pick = (column: number) => {
    const step = steps[column - 1];
    if (step && (row === undefined || read))
      choose({
        position: entry.position,
        part: step.part,
        index: step.index,
        ...(number !== undefined && { row: number }),
      });
    else if (!column && row === undefined && entry.rows) turn(entry.position);
  };
  const state = (column: number, more = "") =>
    ["matrix-cell", more, focused === column && "at"].filter(Boolean).join(" ");
  return (
    // biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and moves in it
    <div
      className={row === undefined ? "matrix-row" : "matrix-row of-case"}
      role="row"
      aria-rowindex={at + 2}
      style={{ top: at * ROW_HEIGHT, gridTemplateColumns: template }}
    >
      {/* biome-ignore lint/a11y/useFocusableInteractive lint/a11y/useKeyWithClickEvents: as above */}
      <div
        role="gridcell"
        id={cellId(at, 0)}
        className={state(0, "of-name")}
        {...unfolds}
        onClick={() => pick(0)}
      >
        {props.children}
      </div>
      {Array.from({ length: columns - 2 }, (_, place) => {
        const step = steps[place];
        const is = step && here?.part === step.part && here.index === step.index;
        const more = ["of-step", step && trouble(step), is && "chosen"].filter(Boolean).join(" ");
        return (
          // biome-ignore lint/a11y/useFocusableInteractive lint/a11y/useKeyWithClickEvents: as above
          <div
            // biome-ignore lint/suspicious/noArrayIndexKey: columns stay where they are
            key={place}
            role="gridcell"
            id={cellId(at, place + 1)}
            aria-selected={Boolean(is)}
            title={entry.stepNames[place]?.name}
            className={state(place + 1, more)}
            onClick={() => pick(place + 1)}
          >
            {step && <StepCell step={step} facts={facts} scale={scale} />}
          </div>
        );
      })}
      {/* biome-ignore lint/a11y/useFocusableInteractive: as above */}
      <div role="gridcell" id={cellId(at, columns - 1)} className={state(columns - 1, "of-total")}>
        {duration(row === undefined ? entry.ms : read?.ms)}
      </div>
    </div>
  );
}
