import { useState } from "react";
import { api, type Check, type Outcome, type StepEvidence } from "../../../api";
import type { Json } from "../../../base/exact";
import { rightNow } from "../../../case/accepted";
import {
  type CheckDocument,
  checksOf,
  inChecks,
  lookAt,
  noted,
  setCheck,
  stepWith,
  withBody,
} from "../../../case/document";
import { typedValue } from "../../../case/expectedBody";
import { useDraft } from "../../../parts/typing/drafts";
import { Typing } from "../../../parts/typing/Typing";
import { VerdictMark } from "../../../parts/VerdictMark";
import { Said, toneOf } from "../edit/CheckParts";
import { SentenceField } from "../edit/SentenceField";
import { useEdited } from "../state/context";
import { CheckTools } from "./CheckTools";
import { ExpectedBody } from "./ExpectedBody";

/** The label of the field in which a check is changed. */
export const changing = (sentence: string) => `Change the check ${sentence}`;

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

/** A check as a sentence that is changed where it stands, with what it last was, what mends it, and what can be done with it. */
export function CheckRow({ step, index, last, check, outcome, used, exchange }: RowProps) {
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
              data-needs="edit"
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
              data-needs="edit"
              type="button"
              className="plain-link"
              onClick={() => void editing.apply(lookAt(step, index, near))}
            >
              look at {near} instead
            </button>
          )}
        </span>
      )}
      <CheckTools step={step} index={index} last={last} check={check} note={() => setNoting(true)} />
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
