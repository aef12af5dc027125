import type { Case, Step, StepEvidence } from "../../api";
import { useMay } from "../../api/may";
import { duplicateStep, inStep, moveStepTo, PARTS, type Part, setField, setPart } from "../../case/document";
import { isNamed } from "../../case/stepKinds";
import { Findings } from "./edit/Findings";
import { SendAlone } from "./edit/SendAlone";
import { useEdited } from "./state/context";
import type { SendAloneAct } from "./state/useCaseRun";

/** A value that is used here, and kept only later by another step. */
export interface Early {
  name: string;
  number: number;
  key: string;
}

interface Props {
  step: Step;
  findings: Case["findings"];
  early: Early[];
  used: StepEvidence["used"];
  rename: () => void;
  sendAlone: SendAloneAct;
  busy: boolean;
}

/** Below an open step: what is wrong before it runs, how that is mended, and what can be done with the whole step. */
export function StepFoot({ step, findings, early, used, rename, sendAlone, busy }: Props) {
  const { editing, single, shared } = useEdited();
  const may = useMay("edit");
  if (single) return null;
  const named = isNamed(step);
  return (
    <footer className="step-foot">
      <Findings step={step.key} findings={findings} />
      {early.map((value) => (
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          key={value.name}
          onClick={() => void editing.apply(moveStepTo(value.key, step.key, false))}
        >
          Move step {value.number}, which keeps {value.name}, before this one
        </button>
      ))}
      <span className="row-tools" data-needs="edit">
        {named && (
          <button data-needs="edit" type="button" onClick={rename}>
            rename
          </button>
        )}
        {(named || step.kind === "set") && !step.write && (
          <button
            data-needs="edit"
            type="button"
            onClick={() => void editing.apply(setField(step.key, "write", newWrite(step)))}
          >
            write a row
          </button>
        )}
        <button data-needs="edit" type="button" onClick={() => void editing.apply(duplicateStep(step.key))}>
          duplicate
        </button>
        <button
          data-needs="edit"
          type="button"
          onClick={() => void editing.apply(setField(step.key, "off", step.off ? undefined : true))}
        >
          {step.off ? "switch on" : "switch off"}
        </button>
        <button
          data-needs="edit"
          type="button"
          onClick={() => void editing.apply(inStep(step.key, () => null))}
        >
          delete
        </button>
        {!step.inside && !shared && (
          <select
            disabled={!may}
            className="which-part"
            aria-label="When this step runs"
            title="Steps that clean up run afterwards or at the end, also when something failed"
            value={step.part}
            onChange={(event) => void editing.apply(setPart(step.key, event.target.value as Part))}
          >
            {PARTS.map((part) => (
              <option key={part} value={part}>
                {PART_WORDS[part]}
              </option>
            ))}
          </select>
        )}
      </span>
      {(named || step.kind === "shared" || step.kind === "for each") &&
        step.part === "steps" &&
        !step.inside && <SendAlone step={step} used={used} send={sendAlone} busy={busy} />}
    </footer>
  );
}

/** A row to begin with: what the step keeps or sets, and how it ended. */
function newWrite(step: Step) {
  const names = [...(step.keep ?? []), ...(step.set ?? [])].map((item) => item.name);
  const own = Object.fromEntries(names.map((name) => [name, `[=${name}]`]));
  return { table: "results", columns: { ...own, verdict: "verdict" } };
}

const PART_WORDS: Record<Part, string> = {
  once: "runs once, before everything",
  steps: "runs in its turn",
  afterwards: "runs afterwards, always",
  "at the end": "runs at the end, always",
};
