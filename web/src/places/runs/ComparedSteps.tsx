import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, duration } from "../../base/format";
import { VerdictMark } from "../../parts/VerdictMark";
import { Differences } from "./SincePass";

type ComparedCase = Shapes["ComparedCase"];
type Step = ComparedCase["steps"][number];

interface Props {
  run: string;
  then: string;
  entry: ComparedCase;
}

/** The steps of a case in both runs, each with its verdict, status and time; a step opens to what it sent and got otherwise. */
export function ComparedSteps({ run, then, entry }: Props) {
  const [open, setOpen] = useState<Step>();
  if (entry.hasRows) return <p className="muted">Its rows stand in the two runs, each with its steps.</p>;
  return (
    <ul className="compared-steps">
      {entry.steps.map((step, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: steps stand in their order, and may be called the same
        <li key={at}>
          <button
            type="button"
            className="in-place"
            aria-expanded={open === step}
            disabled={!step.here || !step.there}
            onClick={() => setOpen(open === step ? undefined : step)}
          >
            {step.name}
          </button>{" "}
          <Side side={step.there} /> → <Side side={step.here} />
          {open === step && step.here && entry.here && (
            <Apart run={run} then={then} position={entry.here.position} step={step.here} />
          )}
        </li>
      ))}
    </ul>
  );
}

function Side({ side }: { side: Step["here"] }) {
  if (!side) return <span className="muted">not carried out</span>;
  return (
    <span>
      <VerdictMark verdict={side.verdict} size={12} /> {side.status > 0 && `${side.status} · `}
      {side.verdict === "skipped" ? "skipped" : duration(side.ms)}
    </span>
  );
}

function Apart({
  run,
  then,
  position,
  step,
}: {
  run: string;
  then: string;
  position: number;
  step: NonNullable<Step["here"]>;
}) {
  const { part, index, row } = step;
  const found = useQuery(queries.sincePass({ run, position, part, index, row, inner: "", then })).data;
  if (!found) return <p className="muted">Reading what both sent and got…</p>;
  if (!found.differences.length) return <p className="muted">What it sent and got is the same in both.</p>;
  return (
    <>
      <p className="muted">{count(found.differences.length, "place is", "places are")} otherwise:</p>
      <Differences differences={found.differences} />
    </>
  );
}
