import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { Case, SourceDocument, Step } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { count } from "../../../base/format";
import type { StepDocument } from "../../../case/document";
import { inStep, setOwn, stepWith } from "../../../case/document";
import { csvOf, markable, referenceTo } from "../../../case/rowColumns";
import type { Edits } from "../state/useEditing";
import { newSource } from "./newSource";

interface Props {
  of: Case;
  edits: Edits;
  step: Step | undefined;
}

const MARK = "\u0000mark";
const DATA = "\u0000data";

/** A case without rows takes them from a source, or makes one of a request's own fields. */
export function AddRows({ of, edits, step }: Props) {
  const [marking, setMarking] = useState(false);
  const go = useNavigate();
  const sources = useQuery(queries.sources(of.project));
  const request = step?.send ? stepWith(edits.document, step.key) : undefined;
  if (of.rows) return null;
  const choose = (value: string) => {
    if (value === MARK) setMarking(true);
    else if (value === DATA) void go("/data");
    else if (value) void edits.apply(setOwn("rows", value));
  };
  return (
    <>
      <select
        data-needs="edit"
        className="in-sentence add-rows"
        aria-label="Run it over rows"
        value=""
        onChange={(event) => choose(event.target.value)}
      >
        <option value="">+ rows</option>
        {(sources.data?.items ?? []).map((item) => (
          <option key={item.name} value={item.name}>
            of {item.name}
          </option>
        ))}
        {request && <option value={MARK}>of a source made from “{step?.name}”…</option>}
        <option value={DATA}>of a file, or made: in Data…</option>
      </select>
      {marking && request && (
        <MarkFields
          of={of}
          edits={edits}
          request={request}
          name={step?.name ?? ""}
          close={() => setMarking(false)}
        />
      )}
    </>
  );
}

interface MarkProps {
  of: Case;
  edits: Edits;
  request: StepDocument;
  name: string;
  close: () => void;
}

/** Fields of a request are marked, and become the columns of a new source, their present values its first row. */
function MarkFields({ of, edits, request, name, close }: MarkProps) {
  const tell = useStale();
  const fields = markable(request);
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set(fields.map((field) => field.name)));
  const [said, setSaid] = useState("");
  const chosen = fields.filter((field) => marked.has(field.name));
  const turn = (field: string) => {
    const next = new Set(marked);
    if (!next.delete(field)) next.add(field);
    setMarked(next);
  };
  const make = async () => {
    try {
      const kinds = chosen.filter((field) => field.kind !== "text").map((field) => [field.name, field.kind]);
      const more: SourceDocument = kinds.length ? { columns: Object.fromEntries(kinds) } : {};
      const made = await newSource(tell, of, csvOf(chosen), "csv", more);
      const problem = await edits.apply((before) => {
        const withRefs = inStep(request.key as string, (step) =>
          chosen.reduce((next, field) => field.put(next, referenceTo(field.name)), step),
        )(before);
        return setOwn("rows", made)(withRefs);
      });
      if (problem) setSaid(problem);
      else close();
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  return (
    <span className="mark-fields" role="dialog" aria-label="A source made from a request">
      {fields.length ? (
        <>
          The fields of “{name}” that become columns, with their present values as the first row:
          {fields.map((field) => (
            <label key={field.name}>
              <input type="checkbox" checked={marked.has(field.name)} onChange={() => turn(field.name)} />{" "}
              <span className="mono">{field.name}</span> <span className="muted">{field.value}</span>
            </label>
          ))}
          <button
            data-needs="edit"
            type="button"
            className="make"
            disabled={!chosen.length}
            onClick={() => void make()}
          >
            Make a source of {count(chosen.length, "column")}
          </button>{" "}
        </>
      ) : (
        <>“{name}” has no field that stands written out. </>
      )}
      <button type="button" className="plain-link" onClick={close}>
        leave it
      </button>{" "}
      <span role="status" className="problem">
        {said}
      </span>
    </span>
  );
}
