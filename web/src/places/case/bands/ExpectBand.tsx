import { useState } from "react";
import { api, type Check, type Outcome, type Step, type StepEvidence } from "../../../api";
import type { Json } from "../../../base/exact";
import { rightNow } from "../../../case/accepted";
import {
  addCheck,
  type CheckDocument,
  checksOf,
  inChecks,
  lookAt,
  marked,
  noted,
  setCheck,
  stepWith,
  toEvery,
  withBody,
} from "../../../case/document";
import { typedValue } from "../../../case/expectedBody";
import { drafted, useDraft } from "../../../parts/typing/drafts";
import { Typing } from "../../../parts/typing/Typing";
import { VerdictMark } from "../../../parts/VerdictMark";
import { Said, toneOf, WaitedFor } from "../edit/CheckParts";
import { EveryAnswerRows } from "../edit/EveryAnswer";
import { Proposals } from "../edit/Proposals";
import { SentenceField } from "../edit/SentenceField";
import { useEdited } from "../state/context";
import { ExpectedBody } from "./ExpectedBody";

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
        <li className="add-check">
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

const changing = (sentence: string) => `Change the check ${sentence}`;

/** What a row is known by: an expected body by its place, since it is changed place by place while it stands open. */
const named = (check: Check): string =>
  /^fits( exactly)?$/.test(check.phrase) ? `${check.of} ${check.phrase}` : check.sentence;

/** How many checks above read the same; a row is known by what it says, so that a field that is open stays with its check when
 * another one comes or goes above it. */
function twins(checks: Check[], index: number): number {
  const name = named(checks[index] as Check);
  return checks.slice(0, index).filter((check) => named(check) === name).length;
}

interface RowProps {
  step: string;
  index: number;
  last: boolean;
  check: Check;
  outcome: Outcome | undefined;
  used: StepEvidence["used"];
  /** The exchange that was judged. */
  exchange: string | undefined;
}

function CheckRow({ step, index, last, check, outcome, used, exchange }: RowProps) {
  const { editing, id } = useEdited();
  const label = changing(check.sentence);
  const draft = useDraft(label);
  const [open, setOpen] = useState(draft.text !== undefined);
  const [noting, setNoting] = useState(false);
  const bad = outcome?.verdict === "failed" || outcome?.verdict === "blocked";
  if (open) {
    return (
      <li className="check">
        <VerdictMark verdict={outcome?.verdict ?? "waiting"} />
        <SentenceField
          step={step}
          text={check.typed}
          label={label}
          take={(changed) => editing.apply(setCheck(step, index, changed))}
          close={() => setOpen(false)}
        />
      </li>
    );
  }
  const near = outcome?.why?.near;
  const body = bodyOf(checksOf(stepWith(editing.document, step))[index], check);
  const move = (by: number) =>
    void editing.apply(
      inChecks(step, (checks) => {
        const next = [...checks];
        next.splice(index + by, 0, ...next.splice(index, 1));
        return next;
      }),
    );
  return (
    <li className={toneOf(check, outcome)}>
      <Said
        check={check}
        outcome={outcome}
        used={used}
        open={() => setOpen(true)}
        below={noting ? undefined : check.note}
        expected={body && "this body:"}
      />
      {body && (
        <ExpectedBody
          of={check.of}
          body={body.expected}
          outcome={outcome}
          exchange={exchange}
          save={(next) => editing.apply(inChecks(step, withBody(index, body.relation, next)))}
        />
      )}
      {noting && (
        <Typing
          text={check.note}
          label={`The note of ${check.sentence}`}
          hint="The check’s name in reports: what it is about, or why it is there."
          save={(note) => editing.apply(inChecks(step, noted(index, note.trim())))}
          close={() => setNoting(false)}
        />
      )}
      {bad && (rightNow(check, outcome) || near) && (
        <span className="repairs">
          {rightNow(check, outcome) && (
            <button
              type="button"
              className="plain-link"
              aria-label={`this is right now: ${outcome.actual} for ${check.of}`}
              onClick={() => void takeActual(id, step, index, check, outcome, editing)}
            >
              this is right now
            </button>
          )}
          {near && (
            <button
              type="button"
              className="plain-link"
              onClick={() => void editing.apply(lookAt(step, index, near))}
            >
              look at {near} instead
            </button>
          )}
        </span>
      )}
      <span className="row-tools">
        {index > 0 && (
          <button type="button" aria-label={`Move up: ${check.sentence}`} onClick={() => move(-1)}>
            ↑
          </button>
        )}
        {!last && (
          <button type="button" aria-label={`Move down: ${check.sentence}`} onClick={() => move(1)}>
            ↓
          </button>
        )}
        <button type="button" aria-label={`Note: ${check.sentence}`} onClick={() => setNoting(true)}>
          note
        </button>
        <button
          type="button"
          aria-label={`${check.advice ? "Count again" : "Make advice"}: ${check.sentence}`}
          onClick={() => void editing.apply(inChecks(step, marked(index, "advice")))}
        >
          {check.advice ? "count" : "advice"}
        </button>
        <button
          type="button"
          aria-label={`Switch ${check.off ? "on" : "off"}: ${check.sentence}`}
          onClick={() => void editing.apply(inChecks(step, marked(index, "off")))}
        >
          {check.off ? "on" : "off"}
        </button>
        <button
          type="button"
          aria-label={`On every answer: ${check.sentence}`}
          title="Expect this of every answer of the case"
          onClick={() => void editing.apply(toEvery(step, index))}
        >
          every answer
        </button>
        <button
          type="button"
          aria-label={`Delete: ${check.sentence}`}
          onClick={() => void editing.apply(setCheck(step, index, null))}
        >
          delete
        </button>
      </span>
    </li>
  );
}

/** The body that a check expects, and by which relation; undefined for every other check, and while the page does not show the
 * document's newest one. */
function bodyOf(document: CheckDocument | undefined, check: Check) {
  const relation = ["fits", "fits exactly"].find((name) => document && name in document);
  if (!document || !relation || document.of !== check.of) return undefined;
  const written = document[relation] as Json;
  const expected = typeof written === "string" && !written.startsWith("[") ? typedValue(written) : written;
  return expected && typeof expected === "object" ? { relation, expected } : undefined;
}

/** Take the value that came as the expected one; it goes the way of a typed sentence, so that numbers stay exact. */
async function takeActual(
  id: string,
  step: string,
  index: number,
  check: Check,
  outcome: Outcome,
  editing: ReturnType<typeof useEdited>["editing"],
) {
  const sentence = await api.understood(id, step, `${check.of} is ${outcome.actual}`);
  if (sentence.check) await editing.apply(setCheck(step, index, sentence.check as CheckDocument));
}
