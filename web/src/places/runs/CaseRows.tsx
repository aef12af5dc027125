import { memo, useDeferredValue, useMemo, useState } from "react";
import type { RunCase, RunReport, StepHead } from "../../api";
import { duration, size, whole } from "../../base/format";
import { type MarkKind, VerdictMark } from "../../parts/VerdictMark";
import { CaseMatrix } from "./matrix/CaseMatrix";
import type { Chosen } from "./rows/chosen";
import { RowsOf } from "./rows/RowsOf";
import { verdictsOf } from "./rows/rows";
import { stepName } from "./rows/steps";
import { byCase, type Cells, EVERY_CASE, shownCases } from "./shownCases";
import { WhichCases } from "./WhichCases";

/** So few are seen at a glance. */
const FEW = 4;

interface Props {
  run: RunReport;
  chosen: Chosen | undefined;
  choose: (chosen: Chosen) => void;
}

/** Every case of the run with its steps, each a cell with its mark and time; of a case with rows they stand in a matrix. */
export function CaseRows({ run, chosen, choose, again }: Props & { again: (cases: RunCase[]) => void }) {
  const [asked, show] = useState(EVERY_CASE);
  const shown = useDeferredValue(asked);
  const cases = useMemo(() => shownCases(run.cases, shown), [run.cases, shown]);
  return (
    <div>
      {run.cases.length >= FEW && (
        <WhichCases
          cases={run.cases}
          number={cases.length}
          shown={asked}
          show={show}
          again={run.state === "finished" ? () => again(cases) : undefined}
        />
      )}
      {!cases.length && <p className="muted">No case of this run is like that.</p>}
      {shown.matrix && cases.length > 0 && (
        <CaseMatrix
          run={run.id}
          several={run.environments.length > 1}
          cases={cases}
          facts={shown.cells}
          chosen={chosen}
          choose={choose}
        />
      )}
      {!shown.matrix && (
        <ol className="run-cases">
          {byCase(cases).map((entries) => (
            <li key={entries[0]?.position} className="run-case">
              {entries.length > 1 && <p className="run-case-head">{entries[0]?.name}</p>}
              <div className={entries.length > 1 ? "beside-each-other" : undefined}>
                {entries.map((entry) => (
                  <OneCase
                    key={entry.position}
                    run={run}
                    entry={entry}
                    called={entries.length > 1 ? entry.environment : entry.name}
                    cells={shown.cells}
                    chosen={chosen?.position === entry.position ? chosen : undefined}
                    choose={choose}
                  />
                ))}
              </div>
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}

interface OneCaseProps extends Props {
  entry: RunCase;
  /** Its name; of a run against several environments where it went. */
  called: string;
  cells: Cells;
}

const OneCase = memo(
  function OneCase({ run, entry, called, cells, chosen, choose }: OneCaseProps) {
    return (
      <div>
        <p className="run-case-head">
          <VerdictMark verdict={mark(entry)} />
          <span>{called}</span>
          <span className="number">{duration(entry.ms)}</span>
        </p>
        <div className="cells">
          {entry.steps.map((step) => (
            <Cell
              key={`${step.part}-${step.index}`}
              entry={entry}
              step={step}
              cells={cells}
              chosen={chosen?.part === step.part && chosen.index === step.index}
              choose={() =>
                choose({
                  position: entry.position,
                  part: step.part,
                  index: step.index,
                  ...(entry.rows && { row: 0 }),
                })
              }
            />
          ))}
        </div>
        {entry.rows && <Rows run={run} entry={entry} rows={entry.rows} chosen={chosen} choose={choose} />}
      </div>
    );
  },
  // The run is another object at each look at it; what is drawn of it here is the case, if it has no rows.
  (before, now) =>
    before.entry === now.entry &&
    before.cells === now.cells &&
    before.chosen === now.chosen &&
    before.choose === now.choose &&
    (before.run === now.run || !now.entry.rows),
);

/** The rows of a case: how many of which verdict, and unfolded the matrix. */
function Rows({
  run,
  entry,
  rows,
  chosen,
  choose,
}: Props & { entry: RunCase; rows: NonNullable<RunCase["rows"]> }) {
  const [open, setOpen] = useState(run.cases.length === 1);
  const at = chosen?.position === entry.position && chosen.row ? { ...chosen, row: chosen.row } : undefined;
  return (
    <>
      {run.cases.length > 1 && (
        <p className="rows-line">
          {verdictsOf(rows).map(([verdict, number]) => (
            <span key={verdict}>
              <VerdictMark verdict={verdict} size={12} /> {whole(number)} {verdict}
            </span>
          ))}
          <button type="button" className="plain-link" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "Fold its rows" : "Look at its rows"}
          </button>
        </p>
      )}
      {open && (
        <RowsOf
          run={run}
          entry={entry}
          rows={rows}
          chosen={at}
          choose={(cell) => choose({ position: entry.position, ...cell })}
        />
      )}
    </>
  );
}

function mark(entry: RunCase): MarkKind {
  if (entry.verdict) return entry.verdict;
  return entry.state === "running" ? "running" : "waiting";
}

function shownOf({ ms, status, size: octets }: StepHead, cells: Cells): string {
  if (cells === "status") return status ? String(status) : "";
  return cells === "size" ? size(octets) : duration(ms);
}

interface CellProps {
  entry: RunCase;
  step: StepHead;
  cells: Cells;
  chosen: boolean;
  choose: () => void;
}

function Cell({ entry, step, cells, chosen, choose }: CellProps) {
  const name = stepName(entry, step.part, step.index);
  const trouble = step.verdict === "failed" || step.verdict === "blocked" ? step.verdict : "";
  return (
    <button
      type="button"
      className={`step-cell ${trouble} ${chosen ? "chosen" : ""}`}
      aria-pressed={chosen}
      title={name}
      onClick={choose}
    >
      <VerdictMark verdict={step.verdict} size={13} />
      <span className="cell-name">{name}</span>
      <span className="number">{step.verdict === "skipped" ? "" : shownOf(step, cells)}</span>
    </button>
  );
}
