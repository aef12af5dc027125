import { type ReactNode, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Case, Other, Step, StepEvidence } from "../../api";
import { useMay } from "../../api/may";
import { moveStepTo } from "../../case/document";
import { type CardPlace, drawThreads } from "../../case/threads";
import type { MarkKind } from "../../parts/VerdictMark";
import { StepNumber } from "../../parts/VerdictMark";
import { AddStep } from "./edit/AddStep";
import { Several } from "./edit/Several";
import { measured } from "./measured";
import { StepCard } from "./StepCard";
import type { Early } from "./StepFoot";
import { useEdited } from "./state/context";
import type { SendAloneAct } from "./state/useCaseRun";

interface Props {
  of: Case;
  chosen: number;
  choose: (key: string) => void;
  evidence: Map<string, StepEvidence>;
  verdict: (step: Step) => MarkKind;
  sendAlone: SendAloneAct;
  busy: boolean;
  /** Who else has the case open, and where. */
  others: Other[];
  /** The rows that the case runs over, above its steps. */
  rows?: ReactNode;
  /** What stands below the steps of what is no case. */
  children?: ReactNode;
}

const MARGIN = 84;
const NONE: never[] = [];

/** The path down the page: numbered steps on a rail, and threads in the margin. */
export function Trail({
  of,
  chosen,
  choose,
  evidence,
  verdict,
  sendAlone,
  busy,
  others,
  rows,
  children,
}: Props) {
  const { editing } = useEdited();
  const box = useRef<HTMLOListElement>(null);
  const dragged = useRef("");
  const may = useMay("edit");
  const [marked, setMarked] = useState<string[]>([]);
  // The cards keep the same function over edits, so that an edit draws only the card that it changed.
  const order = useRef<string[]>([]);
  order.current = of.steps.map((step) => step.key);
  const mark = useCallback(
    (key: string, upTo: boolean) =>
      setMarked((before) => {
        const keys = order.current;
        const from = keys.indexOf(before.at(-1) ?? key);
        if (upTo && before.length) {
          const [low, high] = [from, keys.indexOf(key)].sort((left, right) => left - right);
          return [...new Set([...before, ...keys.slice(low, (high as number) + 1)])];
        }
        return before.includes(key) ? before.filter((item) => item !== key) : [...before, key];
      }),
    [],
  );
  const several = of.steps.map((step) => step.key).filter((key) => marked.includes(key));
  const [places, setPlaces] = useState<CardPlace[]>([]);
  const [height, setHeight] = useState(0);
  // Places are read when the browser has laid the cards out anyway, so that reading them costs nothing.
  // biome-ignore lint/correctness/useExhaustiveDependencies: another order or another open card has other places
  useEffect(() => {
    const list = box.current;
    if (!list) return;
    const measure = () => {
      setPlaces(measured(list));
      setHeight(list.offsetHeight);
    };
    const observer = new ResizeObserver(measure);
    observer.observe(list);
    for (const child of list.children) observer.observe(child);
    const moved = requestAnimationFrame(() => window.setTimeout(measure));
    return () => {
      cancelAnimationFrame(moved);
      observer.disconnect();
    };
  }, [chosen, of.steps]);
  const threads = useMemo(() => drawThreads(of.threads, places, MARGIN), [of.threads, places]);
  const findings = useMemo(() => {
    const found = new Map<string, Case["findings"]>();
    for (const finding of of.findings) {
      const place = /^[a-z ]+\[\d+\](\.steps\[\d+\])*/.exec(finding.path)?.[0] ?? "";
      found.set(place, [...(found.get(place) ?? []), finding]);
    }
    return found;
  }, [of.findings]);
  /** What is wrong with the case's own sign-in is mended at a step that it signs. */
  const ofSignIn = of.findings.filter((finding) => finding.path === "auth");
  const here = useMemo(() => {
    const found = new Map<string, Other[]>();
    for (const other of others) found.set(other.step, [...(found.get(other.step) ?? []), other]);
    return found;
  }, [others]);
  const early = useMemo(() => {
    const found = new Map<number, Early[]>();
    for (const thread of of.threads.filter((item) => item.broken)) {
      const from = of.steps[thread.from - 1];
      if (!from) continue;
      for (const to of thread.to) {
        found.set(to, [...(found.get(to) ?? []), { name: thread.name, number: from.number, key: from.key }]);
      }
    }
    return found;
  }, [of.threads, of.steps]);
  return (
    <div className="trail">
      {several.length > 0 && <Several keys={several} done={() => setMarked([])} />}
      {rows}
      <div className="trail-path">
        <svg className="threads" aria-hidden="true" width={MARGIN + 4} height={Math.max(height, 60)}>
          {!of.single && <path className="rail" d={`M${MARGIN - 22} 0 V4000`} />}
          {threads.map((thread) => (
            <g key={thread.key} className={thread.broken ? "thread broken" : "thread"}>
              <path d={thread.path} />
              <circle cx={thread.dot[0]} cy={thread.dot[1]} r="3.500" />
              {thread.arrows.map(([x, y]) => (
                <path
                  key={y}
                  className="arrow"
                  d={`M${x - 6} ${y - 3.5} L${x} ${y} L${x - 6} ${y + 3.5} Z`}
                />
              ))}
            </g>
          ))}
        </svg>
        <ol ref={box} aria-label="The path">
          {of.steps.map((step) => (
            <li
              key={step.key}
              data-step={step.number}
              className={step.inside ? "inside" : undefined}
              onDragOver={(event) => dragged.current && event.preventDefault()}
              onDrop={(event) => {
                const box = event.currentTarget.getBoundingClientRect();
                void editing.apply(
                  moveStepTo(dragged.current, step.key, event.clientY > box.top + box.height / 2),
                );
                dragged.current = "";
              }}
            >
              {step.part !== (of.steps[step.number - 2]?.part ?? "steps") && (
                <h2 className="part-head">{PART_HEADS[step.part]}</h2>
              )}
              {/* biome-ignore lint/a11y/noStaticElementInteractions: Alt and the arrows move a step too */}
              <span
                className="grip"
                title="Drag to move; Alt and an arrow key does it too"
                draggable={may}
                onDragStart={(event) => {
                  dragged.current = step.key;
                  event.dataTransfer.effectAllowed = "move";
                  event.dataTransfer.setData("text/plain", step.name);
                }}
              >
                <StepNumber number={step.label} verdict={verdict(step)} />
              </span>
              <StepCard
                step={step}
                open={step.number === chosen}
                choose={choose}
                evidence={evidence.get(step.place)}
                findings={[
                  ...(findings.get(pathOf(step)) ?? NONE),
                  ...(step.send?.auth?.from === "case" ? ofSignIn : NONE),
                ]}
                early={early.get(step.number) ?? NONE}
                sendAlone={sendAlone}
                busy={busy}
                marked={marked.includes(step.key)}
                mark={mark}
                others={here.get(step.key) ?? NONE}
              />
            </li>
          ))}
        </ol>
      </div>
      {of.single ? children : <AddStep of={of} />}
    </div>
  );
}

const PART_HEADS: Record<Step["part"], string> = {
  once: "Once, before everything",
  steps: "Then, in turn",
  afterwards: "Afterwards, whatever happened",
  "at the end": "At the end, whatever happened",
};

/** Where the step stands in the document: `steps[1].steps[0]`. */
const pathOf = (step: Step): string => {
  const inner = step.place.split("/").slice(1);
  return `${step.part}[${step.index}]${inner.map((place) => `.steps[${place}]`).join("")}`;
};
