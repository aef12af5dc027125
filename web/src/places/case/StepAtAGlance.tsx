import { Fragment } from "react";
import type { Case, Step, StepEvidence } from "../../api";
import { count } from "../../base/format";
import { setKeep } from "../../case/document";
import { isNamed } from "../../case/stepKinds";
import { Pieces } from "../../parts/Pieces";
import { useEdited } from "./state/context";

/** Why the step failed or was blocked; left out where the failing check itself stands open below. */
export function Trouble({
  step,
  evidence,
  open,
}: {
  step: Step;
  evidence: StepEvidence | undefined;
  open: boolean;
}) {
  const { editing } = useEdited();
  if (!evidence?.why) return null;
  if (evidence.why.code === "guarded") return <p className="step-line">{evidence.why.sentence}</p>;
  if (evidence.verdict !== "failed" && evidence.verdict !== "blocked") return null;
  const lost = evidence.why.code === "keep-nothing";
  const stands = evidence.checks.some((check) => check.verdict === "failed" || check.verdict === "blocked");
  if (open && stands && !lost) return null;
  const { name, near } = evidence.why;
  return (
    <p className={`step-why ${evidence.verdict}`}>
      {evidence.why.sentence}{" "}
      {lost && near && name && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          onClick={() => void editing.apply(setKeep(step.key, name, near))}
        >
          Keep {near} instead
        </button>
      )}
    </p>
  );
}

/** What would block the step if the case ran now: a value that is missing, or kept too late. */
export function Wrong({ findings }: { findings: Case["findings"] }) {
  const errors = findings.filter((finding) => finding.weight === "error");
  if (!errors.length) return null;
  return <p className="step-why blocked">{errors.map((finding) => finding.sentence).join(" · ")}</p>;
}

/** A step that is closed, in a line: what it sends, how much it checks, what it gives. */
export function Closed({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const keeps = step.keep ?? step.use?.gives ?? [];
  if (step.kind === "shared" && !keeps.length) return null;
  if (step.kind === "shared")
    return (
      <p className="step-line">
        <Gives keeps={keeps} start="gives " />
      </p>
    );
  if (!isNamed(step)) return null;
  const checks = step.expect?.length ?? 0;
  return (
    <p className="step-line">
      <span className="mono">
        {step.send && (
          <>
            {step.send.method} <Pieces pieces={withoutStart(step.send.address)} used={evidence?.used} />
          </>
        )}
        {step.lookUp && `${step.lookUp.database}: ${step.lookUp.table || "SQL"}`}
      </span>
      <span>
        {checks
          ? ` · ${count(checks, "check")}`
          : step.part !== "steps"
            ? ""
            : " · nothing is checked here yet"}
      </span>
      <Gives keeps={keeps} start=" · gives " />
    </p>
  );
}

/** The names of what later steps use. */
function Gives({ keeps, start }: { keeps: { name: string }[]; start: string }) {
  if (!keeps.length) return null;
  return (
    <span>
      {start}
      {keeps.map((keep, index) => (
        <Fragment key={keep.name}>
          {index > 0 && ", "}
          <span className="reference" data-keep={keep.name}>
            {keep.name}
          </span>
        </Fragment>
      ))}
    </span>
  );
}

/** The address without the value that it begins with, which is the same for every step. */
function withoutStart<Item extends { name?: string; text: string }>(pieces: Item[]): Item[] {
  return pieces.length > 1 && pieces[0]?.name && pieces[1]?.text.startsWith("/") ? pieces.slice(1) : pieces;
}
