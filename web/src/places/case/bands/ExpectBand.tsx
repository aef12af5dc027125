import { useState } from "react";
import type { Check, Step, StepEvidence } from "../../../api";
import { addCheck } from "../../../case/document";
import { drafted } from "../../../parts/typing/drafts";
import { VerdictMark } from "../../../parts/VerdictMark";
import { WaitedFor } from "../edit/CheckParts";
import { EveryAnswerRows } from "../edit/EveryAnswer";
import { Proposals } from "../edit/Proposals";
import { SentenceField } from "../edit/SentenceField";
import { useEdited } from "../state/context";
import { CheckRow, changing } from "./CheckRow";

/** What must hold of the answer: each check as a sentence that is changed where it stands, with what it last was. */
export function ExpectBand({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const { editing, single } = useEdited();
  const checks = step.expect ?? [];
  return (
    <div className="band">
      <h3>Expect</h3>
      <ul>
        {checks.map((check, index) => (
          <CheckRow
            key={`${named(check)} ${twins(checks, index)}`}
            step={step.key}
            index={index}
            last={index === checks.length - 1}
            check={check}
            outcome={evidence?.checks[index]?.check === check.sentence ? evidence.checks[index] : undefined}
            used={evidence?.used ?? []}
            exchange={evidence?.exchanges.at(-1)?.id}
          />
        ))}
        {checks.length === 0 && (
          <li className="muted">
            {step.part !== "steps"
              ? `Nothing is checked here; it only ${step.part === "once" ? "prepares" : "cleans up"}.`
              : `Nothing is checked here yet${single ? "" : ", so this step is unchecked"}.`}
          </li>
        )}
        {(evidence?.checks ?? [])
          .filter((outcome) => outcome.origin === "until")
          .map((outcome) => (
            <WaitedFor key={outcome.check} outcome={outcome} />
          ))}
        <ChangedMeanwhile step={step} checks={checks} />
        <EveryAnswerRows step={step} evidence={evidence} />
        <li className="add-check" data-needs="edit">
          <span className="muted" aria-hidden="true">
            +
          </span>
          <SentenceField
            step={step.key}
            text=""
            label="Expect something more, as a sentence"
            placeholder="expect… try “time under 500 ms”"
            take={(check) => editing.apply(addCheck(step.key, check))}
          />
        </li>
        {evidence && evidence.exchanges.length > 0 && <Proposals step={step.key} />}
      </ul>
    </div>
  );
}

/** Checks that were being changed here when somebody else changed them: what was typed stays, and becomes a check beside the other's. */
function ChangedMeanwhile({ step, checks }: { step: Step; checks: Check[] }) {
  const { editing, id } = useEdited();
  const [, drawAgain] = useState(0);
  const labels = new Set(checks.map((check) => changing(check.sentence)));
  const found = drafted(`${id}.${step.key}`).filter(
    (stray) => stray.label.startsWith(changing("")) && !labels.has(stray.label),
  );
  return found.map(({ label }) => (
    <li className="check" key={label}>
      <VerdictMark verdict="waiting" />
      <span>
        <SentenceField
          step={step.key}
          text=""
          label={label}
          take={(check) => editing.apply(addCheck(step.key, check))}
          close={() => drawAgain((count) => count + 1)}
        />
        <span className="problem small" role="alert">
          “{label.slice(changing("").length)}” was changed or taken away elsewhere meanwhile. Enter puts yours
          beside what stands now; Escape leaves it.
        </span>
      </span>
    </li>
  ));
}

/** What a row is known by: an expected body by its place, since it is changed place by place while it stands open. */
const named = (check: Check): string =>
  /^fits( exactly)?$/.test(check.phrase) ? `${check.of} ${check.phrase}` : check.sentence;

/** How many checks above read the same; a row is known by what it says, so that a field that is open stays with its check when
 * another one comes or goes above it. */
function twins(checks: Check[], index: number): number {
  const name = named(checks[index] as Check);
  return checks.slice(0, index).filter((check) => named(check) === name).length;
}
