import type { Check, Outcome, StepEvidence } from "../../app/api";
import { Pieces } from "../../parts/Pieces";
import { VerdictMark } from "../../parts/VerdictMark";

/** What stands in a group, indented: conditions first, each with what it last was. */
export function Parts({
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
export function Subject({ of }: { of: string }) {
  return <span className={/^(any of )?[$/]|\(\//.test(of) ? "mono" : undefined}>{of}</span>;
}

const ROLES = ["then", "otherwise"];
const ORIGINS: Record<string, string> = {
  project: "on every answer of the project",
  suite: "on every answer of the suite",
  case: "on every answer of the case",
  until: "waited for",
};

/** A check that the step does not have itself. */
export function Inherited({ outcome }: { outcome: Outcome }) {
  const bad = outcome.verdict === "failed" || outcome.verdict === "blocked";
  return (
    <li className={bad && !outcome.advice ? `check ${outcome.verdict}` : "check"}>
      <VerdictMark verdict={outcome.verdict} />
      <span className="sentence">
        {outcome.check}{" "}
        <span className="muted note">
          {[outcome.note, ORIGINS[outcome.origin]].filter(Boolean).join(" · ")}
        </span>
      </span>
      <span className="was">{shown(outcome)}</span>
    </li>
  );
}

/** What it was; and where it does not hold, what was wanted. */
export function shown(outcome: Outcome): string {
  if (outcome.parts.length && outcome.verdict === "skipped") return outcome.why?.sentence ?? "";
  if (outcome.parts.length) return "";
  if (outcome.verdict === "skipped") return "";
  if (outcome.verdict === "passed")
    return outcome.actual === "null" && outcome.expected !== "null" ? "" : cut(outcome.actual);
  return outcome.why?.sentence ?? outcome.actual;
}

const MOST_SHOWN = 70;

const cut = (text: string): string => (text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN - 1)}…` : text);
