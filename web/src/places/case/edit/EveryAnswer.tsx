import { useContext, useState } from "react";
import { api, type Check, type EveryAnswer, type Outcome, type Step, type StepEvidence } from "../../../api";
import { writeExact } from "../../../base/exact";
import { listed } from "../../../base/format";
import {
  type CheckDocument,
  type ChecksChange,
  except,
  inEvery,
  marked,
  noted,
  renameEvery,
  replaced,
} from "../../../case/document";
import { Typing } from "../../../parts/typing/Typing";
import { VerdictMark } from "../../../parts/VerdictMark";
import { EveryContext, useEdited } from "../state/context";
import { around, useWide, whose } from "../state/useWide";
import { Said, toneOf } from "./CheckParts";
import { SentenceField } from "./SentenceField";

/** The checks on every answer that reach a step, each with where it comes from. Changed here, they change there. */
export function EveryAnswerRows({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const levels = useContext(EveryContext);
  const { editing } = useEdited();
  const { save, undo, changed, problem } = useWide(levels, HOW);
  // The case's own are changed as they stand when the edit is made.
  const change: Changes = (level, make, also) =>
    level.origin === "case" && !also
      ? editing.apply(inEvery(make))
      : save(level, make(HOW.held(level)), also);
  return (
    <>
      {[...levels].reverse().flatMap((level) =>
        level.checks.map((check, index) => (
          <Row
            // biome-ignore lint/suspicious/noArrayIndexKey: two checks of a level may read the same
            key={`${level.id} ${index} ${check.sentence}`}
            step={step}
            level={level}
            wider={around(level, levels)}
            index={index}
            check={check}
            outcome={evidence?.checks.find(
              (item) => item.origin === level.origin && item.check === check.sentence,
            )}
            used={evidence?.used ?? []}
            change={change}
          />
        )),
      )}
      {problem && (
        <li className="problem">
          <span role="alert">{problem}</span>
        </li>
      )}
      {changed.length > 0 && (
        <li className="muted">
          <span role="status">
            Changed for {listed(changed.map(whose))}.{" "}
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void undo()}>
              Undo
            </button>
          </span>
        </li>
      )}
    </>
  );
}

/** `also`: together with the change before it, so that both are undone in one act. */
type Changes = (level: EveryAnswer, change: ChecksChange, also?: boolean) => Promise<string | undefined>;

/** The checks of a level, as its document has them. */
const HOW = {
  held: (level: EveryAnswer) => level.documents as CheckDocument[],
  send: (origin: "suite" | "project", level: EveryAnswer, checks: CheckDocument[]) =>
    api.setEveryAnswer(origin, level.id, level.version, writeExact({ checks })),
  own: (checks: CheckDocument[]) => inEvery(() => checks),
};

interface RowProps {
  step: Step;
  level: EveryAnswer;
  wider: EveryAnswer | undefined;
  index: number;
  check: Check;
  outcome: Outcome | undefined;
  used: StepEvidence["used"];
  change: Changes;
}

function Row({ step, level, wider, index, check, outcome, used, change }: RowProps) {
  const { editing } = useEdited();
  const [open, setOpen] = useState(false);
  const [noting, setNoting] = useState(false);
  const [problem, setProblem] = useState("");
  const excepted = Boolean(check.note && step.without?.includes(check.note));
  const act = async (done: Promise<string | undefined>) => setProblem((await done) ?? "");
  if (open) {
    return (
      <li className="check">
        <VerdictMark verdict={outcome?.verdict ?? "waiting"} />
        <SentenceField
          step={step.key}
          text={check.typed}
          label={`Change for ${whose(level)}: ${check.sentence}`}
          take={(changed) => change(level, replaced(index, changed))}
          close={() => setOpen(false)}
        />
      </li>
    );
  }
  /** A step excepts itself by the check's note; one without gets its sentence as one. */
  const exceptHere = async () => {
    const note = check.note || check.sentence;
    if (check.note) return editing.apply(except(step.key, note, !excepted));
    if (level.origin === "case")
      return editing.apply((document) => except(step.key, note, true)(inEvery(noted(index, note))(document)));
    return (await change(level, noted(index, note))) ?? editing.apply(except(step.key, note, true));
  };
  const widen = async () => {
    const moved = level.documents[index] as CheckDocument;
    if (!wider) return undefined;
    return (
      (await change(wider, (checks) => [...checks, moved])) ?? change(level, replaced(index, null), true)
    );
  };
  const sentence = check.sentence;
  return (
    <li className={excepted ? "check off" : toneOf(check, outcome)}>
      <Said
        check={check}
        outcome={excepted ? undefined : outcome}
        used={used}
        open={() => setOpen(true)}
        below={[check.note, excepted ? "not expected here" : `on every answer of ${whose(level)}`]
          .filter((text) => text && text !== sentence && !noting)
          .join(" · ")}
      />
      {noting && (
        <Typing
          text={check.note}
          label={`The note of ${sentence}`}
          hint="The check’s name in reports; a step that does not expect it names it by this."
          save={(note) =>
            level.origin === "case"
              ? editing.apply(renameEvery(index, check.note, note.trim()))
              : change(level, noted(index, note.trim()))
          }
          close={() => setNoting(false)}
        />
      )}
      {problem && (
        <span className="problem" role="alert">
          {problem}
        </span>
      )}
      <span className="row-tools" data-needs="edit">
        <button
          type="button"
          aria-label={`${excepted ? "Expect here again" : "Not here"}: ${sentence}`}
          onClick={() => void act(exceptHere())}
        >
          {excepted ? "here again" : "not here"}
        </button>
        {wider && (
          <button
            type="button"
            aria-label={`For the whole ${wider.origin} ${wider.name}: ${sentence}`}
            title={`Expect this of every answer of ${whose(wider)}`}
            onClick={() => void act(widen())}
          >
            whole {wider.origin}
          </button>
        )}
        <button type="button" aria-label={`Note: ${sentence}`} onClick={() => setNoting(true)}>
          note
        </button>
        <button
          type="button"
          aria-label={`${check.advice ? "Count again" : "Make advice"}: ${sentence}`}
          onClick={() => void act(change(level, marked(index, "advice")))}
        >
          {check.advice ? "count" : "advice"}
        </button>
        <button
          type="button"
          aria-label={`Delete: ${sentence}`}
          onClick={() => void act(change(level, replaced(index, null)))}
        >
          delete
        </button>
      </span>
    </li>
  );
}
