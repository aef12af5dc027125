import { memo, useContext, useState } from "react";
import type { Case, Other, Step, StepEvidence } from "../../api";
import { isNamed } from "../../case/stepKinds";
import { WhereContext } from "../../parts/typing/drafts";
import { LeftOver } from "../../parts/typing/LeftOver";
import { EachBand } from "./bands/EachBand";
import { ExpectBand } from "./bands/ExpectBand";
import { KeepBand } from "./bands/KeepBand";
import { LookBand } from "./bands/LookBand";
import { Moment } from "./bands/Moment";
import { SendBand } from "./bands/SendBand";
import { SetBand } from "./bands/SetBand";
import { UseBand } from "./bands/UseBand";
import { WriteBand } from "./bands/WriteBand";
import { DropPlaces } from "./edit/PutInto";
import { Closed, Trouble, Wrong } from "./StepAtAGlance";
import { type Early, StepFoot } from "./StepFoot";
import { StepHead } from "./StepHead";
import { DragContext, useEdited } from "./state/context";
import type { SendAloneAct } from "./state/useCaseRun";

interface Props {
  step: Step;
  open: boolean;
  choose: (key: string) => void;
  evidence: StepEvidence | undefined;
  findings: Case["findings"];
  early: Early[];
  sendAlone: SendAloneAct;
  busy: boolean;
  /** Chosen together with others: a click with Ctrl, or with Shift all up to it. */
  marked: boolean;
  mark: (key: string, upTo: boolean) => void;
  others: Other[];
}

/** One step: closed it reads as a sentence, open it shows its bands Send, Expect and Keep. */
export const StepCard = memo(function StepCard({
  step,
  open,
  choose,
  evidence,
  findings,
  early,
  sendAlone,
  busy,
  marked,
  mark,
  others,
}: Props) {
  const { id } = useEdited();
  const dragged = useContext(DragContext);
  const [naming, setNaming] = useState(false);
  const classes = ["step", open && "open", step.off && "off", marked && "marked"].filter(Boolean).join(" ");
  const named = isNamed(step);
  return (
    <WhereContext.Provider value={`${id}.${step.key}`}>
      <article className={classes} aria-label={`Step ${step.number}: ${step.name}`}>
        <StepHead
          step={step}
          open={open}
          choose={choose}
          evidence={evidence}
          marked={marked}
          mark={mark}
          others={others}
          naming={naming}
          setNaming={setNaming}
        />
        <Trouble step={step} evidence={evidence} open={open} />
        {!open && <Closed step={step} evidence={evidence} />}
        {!open && evidence?.verdict !== "blocked" && <Wrong findings={findings} />}
        {open && !named && (
          <p className="step-line">
            <Moment step={step} />
          </p>
        )}
        {open && named && (
          <>
            {step.lookUp ? (
              <LookBand step={step} used={evidence?.used ?? []} />
            ) : (
              <SendBand step={step} used={evidence?.used ?? []} />
            )}
            <ExpectBand step={step} evidence={evidence} />
            <KeepBand step={step} evidence={evidence} />
          </>
        )}
        {open && <LeftOver where={`${id}.${step.key}.`} />}
        {open && step.kind === "shared" && <UseBand step={step} evidence={evidence} />}
        {open && step.kind === "for each" && <EachBand step={step} evidence={evidence} />}
        {open && step.kind === "set" && <SetBand step={step} evidence={evidence} />}
        {open && <WriteBand step={step} />}
        {open && (
          <StepFoot
            step={step}
            findings={findings}
            early={early}
            used={evidence?.used ?? []}
            rename={() => setNaming(true)}
            sendAlone={sendAlone}
            busy={busy}
          />
        )}
        {dragged && dragged.number < step.number && <DropPlaces dragged={dragged} step={step.key} />}
      </article>
    </WhereContext.Provider>
  );
});
