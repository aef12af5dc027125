import { type ClipboardEvent, useEffect, useRef, useState } from "react";
import type { Case } from "../../../api";
import { addStep, stepsOf } from "../../../case/document";
import { exampleSteps } from "../../../case/example";
import { UNNAMED } from "../../../case/lookup";
import { fromText, looksPasted } from "../../../case/pasting";
import { broughtIn } from "../../../case/signIn";
import type { Insertable } from "../../../parts/typing/inserting";
import { Typing } from "../../../parts/typing/Typing";
import { OfferShared } from "../shared/OfferShared";
import { useEdited, useInsertable } from "../state/context";

/** The end of the path: type or paste an address, and it becomes a step. */
export function AddStep({ of }: { of: Case }) {
  const { editing, openLater } = useEdited();
  /** The field is begun anew, without what was typed before a paste. */
  const [round, setRound] = useState(0);
  const [said, setSaid] = useState<string[]>([]);
  const save = async (text: string) => {
    if (!text.trim()) return undefined;
    const openIt = openLater();
    try {
      const found = await fromText(text, of);
      const problem = await editing.apply((before) =>
        found.steps.reduce((document, step) => addStep(broughtIn(document, step))(document), before),
      );
      if (problem) return problem;
      setSaid(found.said);
      openIt(found.steps.at(-1)?.key as string);
      return undefined;
    } catch (wrong) {
      return (wrong as Error).message;
    }
  };
  const [problem, setProblem] = useState("");
  /** A field of one line would run the lines together. */
  const paste = (event: ClipboardEvent) => {
    const text = event.clipboardData.getData("text/plain");
    if (!looksPasted(text)) return;
    event.preventDefault();
    void save(text).then((wrong) => {
      setProblem(wrong ?? "");
      if (!wrong) setRound((before) => before + 1);
    });
  };
  const steps = stepsOf(editing.document, "steps").length;
  const insertable = useInsertable(steps + 1);
  return (
    <div className="add-step" onPaste={paste}>
      {steps === 0 && (
        <p>
          A case is a path of steps. Type or paste the first address below, or a curl line; send it, and make
          checks by pointing at its answer. Or{" "}
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            onClick={() => void editing.apply((before) => ({ ...before, ...exampleSteps(of) }))}
          >
            load an example
          </button>{" "}
          that speaks to Fernholm Harbour, which comes with the demonstration.
        </p>
      )}
      <Always key={round} first={steps === 0} insertable={insertable} save={save} />
      {(problem || said.length > 0) && (
        <p className={problem ? "problem" : "muted"} role="status">
          {problem || said.join(" ")}
        </p>
      )}
      <OfferShared of={of} />
      {steps > 0 && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link add-empty"
          onClick={() => void save(`look up ${UNNAMED}`)}
        >
          + rows of a database
        </button>
      )}
      {steps > 0 && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link add-empty"
          onClick={() => void save(emptyAddress(of))}
        >
          + an empty step
        </button>
      )}
    </div>
  );
}

/** Where the case's first request goes, without its path. */
function emptyAddress(of: Case): string {
  const first = of.steps.find((step) => step.send)?.send?.address ?? [];
  const text = first.map((piece) => piece.text).join("");
  return `GET ${/^(\[=[^\]]*\]|\w+:\/\/[^/]*)/.exec(text)?.[0] ?? "http://127.0.0.1"}/`;
}

interface AlwaysProps {
  /** In a case without steps it is where one begins. */
  first: boolean;
  save: (text: string) => Promise<string | undefined>;
  insertable: Insertable;
}

function Always({ first, save, insertable }: AlwaysProps) {
  const field = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (first) field.current?.querySelector<HTMLElement>("textarea, input")?.focus();
  }, [first]);
  return (
    <div ref={field}>
      <Typing
        text=""
        label="Add a step: a method and an address"
        placeholder="+ a step: GET [=harbour]/pilots, an address, a curl line, wait 2 s"
        save={save}
        insertable={insertable}
        close={() => undefined}
        quiet
      />
    </div>
  );
}
