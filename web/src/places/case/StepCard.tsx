import { Fragment, memo, useContext, useEffect, useRef, useState } from "react";
import type { Case, Other, Piece, Step, StepEvidence } from "../../api";
import { writeExact } from "../../base/exact";
import { count, duration, listed } from "../../base/format";
import { inStep, moveStep, setField, setKeep, stepWith } from "../../case/document";
import { takenAlong } from "../../case/signIn";
import { isNamed } from "../../case/stepKinds";
import { Pieces } from "../../parts/Pieces";
import { WhereContext } from "../../parts/typing/drafts";
import { LeftOver } from "../../parts/typing/LeftOver";
import { Typing } from "../../parts/typing/Typing";
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
import { type Early, StepFoot } from "./StepFoot";
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
  const { editing, id } = useEdited();
  const dragged = useContext(DragContext);
  const [naming, setNaming] = useState(false);
  const head = useRef<HTMLButtonElement>(null);
  const wasNaming = useRef(false);
  useEffect(() => {
    if (wasNaming.current && !naming && document.activeElement === document.body) head.current?.focus();
    wasNaming.current = naming;
  }, [naming]);
  const classes = ["step", open && "open", step.off && "off", marked && "marked"].filter(Boolean).join(" ");
  const named = isNamed(step);
  return (
    <WhereContext.Provider value={`${id}.${step.key}`}>
      <article className={classes} aria-label={`Step ${step.number}: ${step.name}`}>
        {naming ? (
          <div className="step-head">
            <Typing
              text={step.name}
              label="The step's name"
              save={(name) => editing.apply(setField(step.key, step.kind, name.trim()))}
              close={() => setNaming(false)}
            />
          </div>
        ) : (
          <button
            ref={head}
            type="button"
            className="step-head"
            aria-expanded={open}
            aria-pressed={marked || undefined}
            onClick={(event) => {
              if (event.ctrlKey || event.metaKey || event.shiftKey) mark(step.key, event.shiftKey);
              else choose(step.key);
            }}
            onDoubleClick={() => named && setNaming(true)}
            onKeyDown={(event) => {
              if (event.key === "F2" && named) setNaming(true);
              if (event.key === "Delete") void editing.apply(inStep(step.key, () => null));
              if (event.key === " " && event.ctrlKey) {
                event.preventDefault();
                mark(step.key, false);
              }
              const copied = stepWith(editing.document, step.key);
              if (event.key.toLowerCase() === "c" && event.ctrlKey && copied)
                void navigator.clipboard?.writeText(writeExact(takenAlong(editing.document, copied)));
              const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
              if (by && event.altKey) {
                event.preventDefault();
                event.stopPropagation();
                void editing.apply(moveStep(step.key, by));
              }
            }}
          >
            <span className="step-name">{named || step.kind === "shared" ? step.name : title(step)}</span>
            {step.kind === "shared" && <span className="tag">shared steps</span>}
            {step.lookUp && <span className="tag">look-up</span>}
            {step.write && <span className="tag">writes {step.write.table}</span>}
            {step.off && <span className="tag">switched off</span>}
            {others.map((other) => (
              <span className="tag here" key={other.name + other.step}>
                {other.same ? "open in another tab too" : `${other.name} is here`}
              </span>
            ))}
            <span className="number">{evidence?.exchanges.length ? duration(evidence.ms) : ""}</span>
          </button>
        )}
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

/** Why the step failed or was blocked; left out where the failing check itself stands open below. */
function Trouble({
  step,
  evidence,
  open,
}: {
  step: Step;
  evidence: StepEvidence | undefined;
  open: boolean;
}) {
  const { editing } = useEdited();
  if (!evidence?.why) return null;
  if (evidence.why.code === "guarded") return <p className="step-line">{evidence.why.sentence}</p>;
  if (evidence.verdict !== "failed" && evidence.verdict !== "blocked") return null;
  const lost = evidence.why.code === "keep-nothing";
  const stands = evidence.checks.some((check) => check.verdict === "failed" || check.verdict === "blocked");
  if (open && stands && !lost) return null;
  const { name, near } = evidence.why;
  return (
    <p className={`step-why ${evidence.verdict}`}>
      {evidence.why.sentence}{" "}
      {lost && near && name && (
        <button
          type="button"
          className="plain-link"
          onClick={() => void editing.apply(setKeep(step.key, name, near))}
        >
          Keep {near} instead
        </button>
      )}
    </p>
  );
}

/** What would block the step if the case ran now: a value that is missing, or kept too late. */
function Wrong({ findings }: { findings: Case["findings"] }) {
  const errors = findings.filter((finding) => finding.weight === "error");
  if (!errors.length) return null;
  return <p className="step-why blocked">{errors.map((finding) => finding.sentence).join(" · ")}</p>;
}

function title(step: Step): string {
  if (step.kind === "wait") return `Wait ${step.wait}`;
  if (step.each) return `For each ${step.each.item} of ${names(step.each.of)}`;
  return `Set ${listed((step.set ?? []).map((value) => value.name))}`;
}

const names = (pieces: Piece[]): string =>
  pieces.map((piece) => (piece.name ? piece.text.slice(2, -1) : piece.text)).join("");

function Closed({ step, evidence }: { step: Step; evidence: StepEvidence | undefined }) {
  const keeps = step.keep ?? step.use?.gives ?? [];
  if (step.kind === "shared" && !keeps.length) return null;
  if (step.kind === "shared")
    return (
      <p className="step-line">
        <Gives keeps={keeps} start="gives " />
      </p>
    );
  if (!isNamed(step)) return null;
  const checks = step.expect?.length ?? 0;
  return (
    <p className="step-line">
      <span className="mono">
        {step.send && (
          <>
            {step.send.method} <Pieces pieces={withoutStart(step.send.address)} used={evidence?.used} />
          </>
        )}
        {step.lookUp && `${step.lookUp.database}: ${step.lookUp.table || "SQL"}`}
      </span>
      <span>
        {checks
          ? ` · ${count(checks, "check")}`
          : step.part !== "steps"
            ? ""
            : " · nothing is checked here yet"}
      </span>
      <Gives keeps={keeps} start=" · gives " />
    </p>
  );
}

/** The names of what later steps use. */
function Gives({ keeps, start }: { keeps: { name: string }[]; start: string }) {
  if (!keeps.length) return null;
  return (
    <span>
      {start}
      {keeps.map((keep, index) => (
        <Fragment key={keep.name}>
          {index > 0 && ", "}
          <span className="reference" data-keep={keep.name}>
            {keep.name}
          </span>
        </Fragment>
      ))}
    </span>
  );
}

/** The address without the value that it begins with, which is the same for every step. */
function withoutStart<Item extends { name?: string; text: string }>(pieces: Item[]): Item[] {
  return pieces.length > 1 && pieces[0]?.name && pieces[1]?.text.startsWith("/") ? pieces.slice(1) : pieces;
}
