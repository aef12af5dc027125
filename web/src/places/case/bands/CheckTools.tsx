import type { Check } from "../../../api";
import { inChecks, marked, setCheck, toEvery } from "../../../case/document";
import { useEdited } from "../state/context";

interface Props {
  step: string;
  index: number;
  last: boolean;
  check: Check;
  /** Open its note. */
  note: () => void;
}

/** What can be done with a check beside changing it. */
export function CheckTools({ step, index, last, check, note }: Props) {
  const { editing } = useEdited();
  const move = (by: number) =>
    void editing.apply(
      inChecks(step, (checks) => {
        const next = [...checks];
        next.splice(index + by, 0, ...next.splice(index, 1));
        return next;
      }),
    );
  return (
    <span className="row-tools" data-needs="edit">
      {index > 0 && (
        <button
          data-needs="edit"
          type="button"
          aria-label={`Move up: ${check.sentence}`}
          onClick={() => move(-1)}
        >
          ↑
        </button>
      )}
      {!last && (
        <button
          data-needs="edit"
          type="button"
          aria-label={`Move down: ${check.sentence}`}
          onClick={() => move(1)}
        >
          ↓
        </button>
      )}
      <button data-needs="edit" type="button" aria-label={`Note: ${check.sentence}`} onClick={note}>
        note
      </button>
      <button
        data-needs="edit"
        type="button"
        aria-label={`${check.advice ? "Count again" : "Make advice"}: ${check.sentence}`}
        onClick={() => void editing.apply(inChecks(step, marked(index, "advice")))}
      >
        {check.advice ? "count" : "advice"}
      </button>
      <button
        data-needs="edit"
        type="button"
        aria-label={`Switch ${check.off ? "on" : "off"}: ${check.sentence}`}
        onClick={() => void editing.apply(inChecks(step, marked(index, "off")))}
      >
        {check.off ? "on" : "off"}
      </button>
      <button
        data-needs="edit"
        type="button"
        aria-label={`On every answer: ${check.sentence}`}
        title="Expect this of every answer of the case"
        onClick={() => void editing.apply(toEvery(step, index))}
      >
        every answer
      </button>
      <button
        data-needs="edit"
        type="button"
        aria-label={`Delete: ${check.sentence}`}
        onClick={() => void editing.apply(setCheck(step, index, null))}
      >
        delete
      </button>
    </span>
  );
}
