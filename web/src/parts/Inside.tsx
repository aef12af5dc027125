import { useState } from "react";
import type { StepEvidence } from "../api";
import { duration } from "../base/format";
import { Evidence } from "./Evidence";
import { VerdictMark } from "./VerdictMark";

const MOST = 300;

interface Props {
  /** What stands in the head: which run it was. */
  about?: React.ReactNode;
  /** The run that they are of; another one's are shown as these were looked at. */
  run?: string;
  why: StepEvidence["why"] | undefined;
  /** The steps inside, in the order in which they ended. */
  inside: StepEvidence[];
}

/** Shared steps, or those for each item, unfolded: each with its verdict and its exchange, the first bad one at once. */
export function Inside({ about, run, why, inside }: Props) {
  const [picked, setPicked] = useState<string>();
  const shown = inside.slice(0, MOST);
  const bad = shown.find((step) => step.verdict === "failed" || step.verdict === "blocked");
  const chosen = shown.find((step) => step.inner === picked) ?? bad ?? shown[0];
  return (
    <>
      <div className="evidence-head">
        <h2>The steps inside</h2>
        <span className="muted">{about}</span>
      </div>
      {why && <p className="pad">{why.sentence}</p>}
      {!shown.length && !why && <p className="muted pad">No step inside was carried out.</p>}
      <ol className="inside-steps" aria-label="The steps inside">
        {shown.map((step) => (
          <li key={step.inner}>
            <button
              type="button"
              aria-pressed={step === chosen}
              className={step === chosen ? "inside-step chosen" : "inside-step"}
              onClick={() => setPicked(step.inner)}
            >
              <VerdictMark verdict={step.verdict} size={13} />
              <span>{itemOf(step)}</span>
              <span>{step.name}</span>
              <span className="number">{step.verdict === "skipped" ? "" : duration(step.ms)}</span>
            </button>
          </li>
        ))}
      </ol>
      {inside.length >= MOST && <p className="muted pad">Only the first {MOST} are shown.</p>}
      {chosen && <Evidence key={chosen.inner} step={chosen} run={run} />}
    </>
  );
}

/** For which item it was: `item 7`, and inside others `item 2, item 7`. */
function itemOf(step: StepEvidence): string {
  const items = step.inner.split("/").flatMap((place) => (place.includes(".") ? [place.split(".")[0]] : []));
  return items.map((item) => `item ${item}`).join(", ");
}
