import type { RunCase, RunReport, StepHead } from "../../app/api";
import { duration } from "../../app/format";
import { type MarkKind, VerdictMark } from "../../parts/VerdictMark";
import { stepName } from "./report";

export interface Chosen {
  position: number;
  part: StepHead["part"];
  index: number;
}

interface Props {
  run: RunReport;
  chosen: Chosen | undefined;
  choose: (chosen: Chosen) => void;
}

/** Every case of the run with its steps, each a cell with its mark and time. */
export function CaseRows({ run, chosen, choose }: Props) {
  return (
    <ol className="run-cases">
      {run.cases.map((entry) => (
        <li key={entry.position} className="run-case">
          <p className="run-case-head">
            <VerdictMark verdict={mark(entry)} />
            <span>{entry.name}</span>
            <span className="number">{duration(entry.ms)}</span>
          </p>
          <div className="cells">
            {entry.steps.map((step) => (
              <Cell
                key={`${step.part}-${step.index}`}
                entry={entry}
                step={step}
                chosen={
                  chosen?.position === entry.position &&
                  chosen.part === step.part &&
                  chosen.index === step.index
                }
                choose={() => choose({ position: entry.position, part: step.part, index: step.index })}
              />
            ))}
          </div>
        </li>
      ))}
    </ol>
  );
}

function mark(entry: RunCase): MarkKind {
  if (entry.verdict) return entry.verdict;
  return entry.state === "running" ? "running" : "waiting";
}

interface CellProps {
  entry: RunCase;
  step: StepHead;
  chosen: boolean;
  choose: () => void;
}

function Cell({ entry, step, chosen, choose }: CellProps) {
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
      <span className="number">{step.verdict === "skipped" ? "" : duration(step.ms)}</span>
    </button>
  );
}
