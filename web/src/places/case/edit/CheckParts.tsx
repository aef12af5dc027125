import type { Check, Outcome, StepEvidence } from "../../../api";
import { useMay } from "../../../api/may";
import { cut } from "../../../base/cut";
import { Pieces } from "../../../parts/Pieces";
import { VerdictMark } from "../../../parts/VerdictMark";

/** What stands in a group, indented: conditions first, each with what it last was. */
function Parts({
  parts,
  outcomes,
  used,
}: {
  parts: Check[];
  outcomes: Outcome[];
  used: StepEvidence["used"];
}) {
  return (
    <ul className="parts">
      {parts.map((part, index) => {
        const outcome = outcomes.find((item) => item.check === part.sentence);
        const before = parts[index - 1]?.role;
        return (
          <li key={part.sentence + part.role} className="check">
            <VerdictMark verdict={outcome?.verdict ?? "waiting"} />
            <span className="sentence">
              {part.role !== before && ROLES.includes(part.role) && (
                <span className="muted">{part.role} </span>
              )}
              <Subject of={part.of} />{" "}
              <strong>
                {part.phrase} <Pieces pieces={part.expected} used={used} />
              </strong>
            </span>
            <span className="was">{outcome ? shown(outcome) : ""}</span>
            {part.parts.length > 0 && (
              <Parts parts={part.parts} outcomes={outcome?.parts ?? []} used={used} />
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** What a check looks at: a path stands in the face of code, everything else in words. */
function Subject({ of }: { of: string }) {
  return <span className={/^(any of )?[$/]|\(\//.test(of) ? "mono" : undefined}>{of}</span>;
}

const ROLES = ["then", "otherwise"];

interface SaidProps {
  check: Check;
  outcome: Outcome | undefined;
  used: StepEvidence["used"];
  open: () => void;
  /** What is said below the sentence. */
  below?: string;
  /** What stands in the sentence for an expected value that is shown apart. */
  expected?: string;
}

/** A check as the sentence that opens it, with its parts and what it last was. */
export function Said({ check, outcome, used, open, below, expected }: SaidProps) {
  const may = useMay("edit");
  const sentence = (
    <>
      <Subject of={check.of} />{" "}
      <strong>
        {check.phrase} {expected ?? <Pieces pieces={check.expected} used={used} />}
      </strong>
      {check.advice && <span className="muted"> (advice)</span>}
    </>
  );
  return (
    <>
      <VerdictMark verdict={outcome?.verdict ?? "waiting"} />
      <span className="said">
        {may ? (
          <button
            type="button"
            className="in-place sentence"
            aria-label={expected ? `${check.of} ${check.phrase} ${expected}` : check.sentence}
            onClick={open}
          >
            {sentence}
          </button>
        ) : (
          <span className="sentence">{sentence}</span>
        )}
        {below && <span className="muted note">{below}</span>}
      </span>
      {check.parts.length > 0 && <Parts parts={check.parts} outcomes={outcome?.parts ?? []} used={used} />}
      <span className="was">
        {outcome && !(expected && outcome.verdict === "passed") ? shown(outcome) : ""}
        {outcome?.again && (
          <span className="muted" title="Judged on the answer that was kept; nothing was sent">
            {" "}
            · judged again
          </span>
        )}
      </span>
    </>
  );
}

/** How a check's row is drawn. */
export function toneOf(check: Check, outcome: Outcome | undefined): string {
  const bad = outcome?.verdict === "failed" || outcome?.verdict === "blocked";
  return ["check", bad && !check.advice && outcome.verdict, check.off && "off", outcome?.again && "again"]
    .filter(Boolean)
    .join(" ");
}

/** A check that was waited for; it is changed where the waiting is said. */
export function WaitedFor({ outcome }: { outcome: Outcome }) {
  const bad = outcome.verdict === "failed" || outcome.verdict === "blocked";
  return (
    <li className={bad && !outcome.advice ? `check ${outcome.verdict}` : "check"}>
      <VerdictMark verdict={outcome.verdict} />
      <span className="sentence">
        {outcome.check}{" "}
        <span className="muted note">{[outcome.note, "waited for"].filter(Boolean).join(" · ")}</span>
      </span>
      <span className="was">{shown(outcome)}</span>
    </li>
  );
}

/** What it was; and where it does not hold, what was wanted. */
function shown(outcome: Outcome): string {
  if (outcome.parts.length && outcome.verdict === "skipped") return outcome.why?.sentence ?? "";
  if (outcome.parts.length) return "";
  if (outcome.verdict === "skipped") return "";
  if (outcome.verdict === "passed")
    return outcome.actual === "null" && outcome.expected !== "null" ? "" : cut(outcome.actual, MOST_SHOWN);
  return outcome.why?.sentence ?? outcome.actual;
}

const MOST_SHOWN = 70;
