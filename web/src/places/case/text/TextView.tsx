import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Case, TextFault } from "../../../api";
import { queries } from "../../../api/queries";
import { isAway } from "../../../api/retrying";
import { readExact, writeExact } from "../../../base/exact";
import type { Document } from "../../../case/document";
import { useDraft } from "../../../parts/typing/drafts";
import { useEdited } from "../state/context";
import TextEditor from "./TextEditor";

const PAUSE_MS = 700;
const NONE: never[] = [];

/** The case as a text of the format, kept in step with the Path both ways. What cannot be read is not saved, and not lost: it stands
 * in this browser until it can. */
export default function TextView({ of }: { of: Case }) {
  const { editing, references } = useEdited();
  const draft = useDraft("the case as text");
  const loaded = useQuery(queries.caseText(of.id, of.version));
  const words = useQuery(queries.formatWords());
  const [typed, setTyped] = useState<string | undefined>(draft.text);
  /** The case as it was when typing began: what the text changed is what it differs from that in. */
  const ground = useRef<Document>(draft.ground ? (readExact(draft.ground) as Document) : editing.document);
  const [faults, setFaults] = useState<TextFault[]>([]);
  const [trouble, setTrouble] = useState("");
  const text = loaded.data?.text;
  const known = references(of.steps.length + 1).map((value) => value.name);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the same names are the same list
  const names = useMemo(() => (known.length ? known.join(" ").split(" ") : NONE), [known.join(" ")]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a pause after the last key, and nothing else
  useEffect(() => {
    if (typed === undefined) return;
    const timer = window.setTimeout(async () => {
      try {
        const saved = await editing.saveText(typed, ground.current);
        ground.current = saved.ground;
        setFaults(saved.faults);
        setTrouble("");
        if (!saved.faults.length) {
          draft.forget();
          setTyped((now) => (now === typed ? undefined : now));
        }
      } catch (problem) {
        const { message } = problem as Error;
        setTrouble(
          isAway(problem)
            ? `Salt Path does not answer: ${message}. The text waits in this browser.`
            : `Not saved, and kept here: ${message}`,
        );
      }
    }, PAUSE_MS);
    return () => window.clearTimeout(timer);
  }, [typed]);
  if (text === undefined) return <p className="muted pad">Writing the case as text…</p>;
  const said = trouble
    ? trouble
    : faults.length
      ? `Not saved, and kept here: line ${faults[0]?.line}: ${faults[0]?.sentence}`
      : typed === undefined
        ? "Saved. Path and text are the same case."
        : "…";
  return (
    <section className="text-view" aria-label="The case as text">
      <TextEditor
        text={typed ?? text}
        words={words.data?.items ?? NONE}
        names={names}
        faults={faults}
        change={(next) => {
          if (typed === undefined) ground.current = editing.document;
          setTyped(next);
          draft.keep(next, writeExact(ground.current));
        }}
      />
      <p className={faults.length || trouble ? "problem" : "muted small"} role="status">
        {said}
        {typed !== undefined && faults.length > 0 && (
          <>
            {" "}
            <button
              data-needs="edit"
              type="button"
              className="plain-link"
              onClick={() => {
                draft.forget();
                setTyped(undefined);
                setFaults([]);
              }}
            >
              Back to what is saved
            </button>
          </>
        )}
      </p>
    </section>
  );
}
