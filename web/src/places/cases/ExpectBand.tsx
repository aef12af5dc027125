import type { Check, Outcome, Step, StepEvidence } from "../../app/api";
import { Pieces } from "../../parts/Pieces";
import { VerdictMark } from "../../parts/VerdictMark";

/** What must hold of the answer: each check as a sentence, with what it last was. */
export function ExpectBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const checks = step.expect ?? [];
  return (
    <div className="band">
      <h3>Expect</h3>
      <ul>
        {checks.map((check, index) => (
          <CheckRow
            // biome-ignore lint/suspicious/noArrayIndexKey: checks have no identity but their place
            key={index}
            check={check}
            outcome={evidence?.checks[index]?.check === check.sentence ? evidence.checks[index] : undefined}
            used={evidence?.used ?? []}
          />
        ))}
        {checks.length === 0 && (
          <li className="muted">
            {step.part === "afterwards"
              ? "Nothing is checked here; it only cleans up."
              : "Nothing is checked here yet, so this step is unchecked."}
          </li>
        )}
      </ul>
    </div>
  );
}

function CheckRow({
  check,
  outcome,
  used,
}: {
  check: Check;
  outcome: Outcome | undefined;
  used: StepEvidence["used"];
}) {
  const bad = outcome?.verdict === "failed" || outcome?.verdict === "blocked";
  const tone = bad && !check.advice ? `check ${outcome.verdict}` : "check";
  const subject = check.of.startsWith("$") || check.of.startsWith("any of $") ? "mono" : undefined;
  return (
    <li className={tone}>
      <VerdictMark verdict={outcome?.verdict ?? "waiting"} />
      <span className="sentence">
        <span className={subject}>{check.of}</span>{" "}
        <strong>
          {check.phrase} <Pieces pieces={check.expected} used={used} />
        </strong>
        {check.advice && <span className="muted"> (advice)</span>}
        {check.note && <span className="muted note">{check.note}</span>}
      </span>
      <span className="was">{outcome ? shown(outcome) : ""}</span>
    </li>
  );
}

/** What it was; and where it does not hold, what was wanted. */
function shown(outcome: Outcome): string {
  if (outcome.verdict === "skipped") return "";
  if (outcome.verdict === "passed")
    return outcome.actual === "null" && outcome.expected !== "null" ? "" : outcome.actual;
  return outcome.why?.sentence ?? outcome.actual;
}
