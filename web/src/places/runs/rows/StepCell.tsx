import { VerdictMark } from "../../../parts/VerdictMark";
import type { SeenStep } from "./cells";
import { type Facts, fact } from "./rows";

/** What a matrix shows of a step: its mark, what was chosen of it, and its time as a bar beside the others in sight. */
export function StepCell({ step, facts, scale }: { step: SeenStep; facts: Facts; scale: number }) {
  return (
    <>
      <VerdictMark verdict={step.verdict} size={13} />
      <span>{fact(step, facts)}</span>
      {facts === "time" && step.verdict !== "skipped" && (
        <span className="matrix-bar" style={{ width: `${Math.max(2, (step.ms / scale) * 100)}%` }} />
      )}
    </>
  );
}

/** Only trouble is filled. */
export function trouble(step: SeenStep): string {
  return step.verdict === "failed" ||
    step.verdict === "blocked" ||
    (step.verdict === "unchecked" && step.part === "steps")
    ? step.verdict
    : step.verdict === "skipped"
      ? "skipped"
      : "";
}
