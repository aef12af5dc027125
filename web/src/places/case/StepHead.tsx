import { type KeyboardEvent, useEffect, useRef } from "react";
import type { Other, Piece, Step, StepEvidence } from "../../api";
import { useMay } from "../../api/may";
import { writeExact } from "../../base/exact";
import { duration, listed } from "../../base/format";
import { inStep, moveStep, setField, stepWith } from "../../case/document";
import { takenAlong } from "../../case/signIn";
import { isNamed } from "../../case/stepKinds";
import { Typing } from "../../parts/typing/Typing";
import { useEdited } from "./state/context";

interface Props {
  step: Step;
  open: boolean;
  choose: (key: string) => void;
  evidence: StepEvidence | undefined;
  marked: boolean;
  mark: (key: string, upTo: boolean) => void;
  others: Other[];
  naming: boolean;
  setNaming: (naming: boolean) => void;
}

/** The head of a step: its name, which opens it, and the keys that move, copy, name and delete it. */
export function StepHead({ step, open, choose, evidence, marked, mark, others, naming, setNaming }: Props) {
  const { editing } = useEdited();
  const may = useMay("edit");
  const head = useRef<HTMLButtonElement>(null);
  const wasNaming = useRef(false);
  useEffect(() => {
    if (wasNaming.current && !naming && document.activeElement === document.body) head.current?.focus();
    wasNaming.current = naming;
  }, [naming]);
  const named = isNamed(step);
  if (naming) {
    return (
      <div className="step-head">
        <Typing
          text={step.name}
          label="The step's name"
          save={(name) => editing.apply(setField(step.key, step.kind, name.trim()))}
          close={() => setNaming(false)}
        />
      </div>
    );
  }
  const keys = (event: KeyboardEvent) => {
    if (event.key === "F2" && named && may) setNaming(true);
    if (event.key === "Delete" && may) void editing.apply(inStep(step.key, () => null));
    if (event.key === " " && event.ctrlKey && may) {
      event.preventDefault();
      mark(step.key, false);
    }
    const copied = stepWith(editing.document, step.key);
    if (event.key.toLowerCase() === "c" && event.ctrlKey && copied)
      void navigator.clipboard?.writeText(writeExact(takenAlong(editing.document, copied)));
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (by && event.altKey && may) {
      event.preventDefault();
      event.stopPropagation();
      void editing.apply(moveStep(step.key, by));
    }
  };
  return (
    <button
      ref={head}
      type="button"
      className="step-head"
      aria-expanded={open}
      aria-pressed={marked || undefined}
      onClick={(event) => {
        if (may && (event.ctrlKey || event.metaKey || event.shiftKey)) mark(step.key, event.shiftKey);
        else choose(step.key);
      }}
      onDoubleClick={() => named && may && setNaming(true)}
      onKeyDown={keys}
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
  );
}

function title(step: Step): string {
  if (step.kind === "wait") return `Wait ${step.wait}`;
  if (step.each) return `For each ${step.each.item} of ${names(step.each.of)}`;
  return `Set ${listed((step.set ?? []).map((value) => value.name))}`;
}

const names = (pieces: Piece[]): string =>
  pieces.map((piece) => (piece.name ? piece.text.slice(2, -1) : piece.text)).join("");
