import { Link } from "react-router";
import type { Outcome, RunCase, StepEvidence } from "../../api";
import { Evidence } from "../../parts/Evidence";
import { Inside } from "../../parts/Inside";
import { Long } from "../../parts/Long";
import { Phases } from "../../parts/Phases";
import { VerdictMark } from "../../parts/VerdictMark";
import { SincePass } from "./SincePass";

interface Props {
  /** The run's id. */
  run: string;
  entry: RunCase;
  step: StepEvidence;
  /** Of a case with rows, which of them. */
  row: number | undefined;
  /** What the steps inside it saw. */
  inside: StepEvidence[];
  /** Where it went, of a run against several environments. */
  where: string;
  /** Whether it is a step of a case that is kept: those of a removal are not. */
  isKept: boolean;
}

/** The chosen step of a run: what was expected, what it was, where; its times; its exchange. */
export function ChosenStep({ run, entry, step, row, inside, where, isKept }: Props) {
  const last = step.exchanges.at(-1);
  const bad = step.checks.filter((check) => check.verdict === "failed" || check.verdict === "blocked");
  const held = step.checks.filter((check) => check.verdict === "passed").length;
  const number =
    entry.stepNames.find((item) => item.part === step.part && item.index === step.index)?.number ?? 1;
  return (
    <>
      <div className="panel-head">
        <h2>
          <VerdictMark verdict={step.verdict} /> {row ? `Row ${row} · ` : ""}
          {step.name}
          {where && <span className="muted"> against {where}</span>}
        </h2>
        {isKept && (
          <Link
            to={`/cases/${entry.case}?step=${number}${where && `&run=${encodeURIComponent(`${run} ${where}`)}`}`}
          >
            Open the step
          </Link>
        )}
      </div>
      {step.why && bad.length === 0 && <p className={`why ${step.verdict}`}>{step.why.sentence}</p>}
      {step.verdict === "unchecked" && (
        <p className="muted">
          {step.counts ? "Nothing is checked in this step." : "It only cleans up; nothing is checked."}
        </p>
      )}
      {bad.map((check) => (
        <BadCheck key={check.check} check={check} />
      ))}
      {held > 0 && <p className="muted small">{held === 1 ? "1 check holds." : `${held} checks hold.`}</p>}
      {last && (step.verdict === "failed" || step.verdict === "blocked") && (
        <SincePass
          of={{
            run,
            position: entry.position,
            part: step.part,
            index: step.index,
            row: step.row,
            inner: step.inner,
          }}
        />
      )}
      {last && <Phases times={last.times} />}
      {step.kind === "shared" || step.kind === "for each" ? (
        <Inside key={`${entry.position}-${row}-${step.place}`} why={undefined} inside={inside} />
      ) : (
        // what was never sent has no more than its reason, which stands above
        (last || step.kind !== "request" || !step.why) && (
          <Evidence key={`${entry.position}-${row}-${step.place}`} step={step} />
        )
      )}
    </>
  );
}

function BadCheck({ check }: { check: Outcome }) {
  return (
    <dl className={check.advice ? "bad-check advice" : "bad-check"}>
      <dt>Check</dt>
      <dd className="mono">{check.check}</dd>
      <dt>Expected</dt>
      <dd>
        <strong>
          <Long text={check.expected} what="what was expected" />
        </strong>
      </dd>
      <dt>Was</dt>
      <dd className="actual">
        {check.actual === "null" && check.why?.code.startsWith("nothing") ? (
          "nothing"
        ) : (
          <Long text={check.actual} what="what it was" />
        )}
      </dd>
      {check.where.length > 0 && (
        <>
          <dt>Where</dt>
          <dd className="mono">{check.where.join(", ")}</dd>
        </>
      )}
      <dt>Why</dt>
      <dd>
        {check.why?.sentence}
        {check.note && <span className="muted note">{check.note}</span>}
        {check.advice && <span className="muted"> (advice, does not count)</span>}
      </dd>
    </dl>
  );
}
