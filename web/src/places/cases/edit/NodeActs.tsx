import { type KeyboardEvent, useState } from "react";
import { api, type Step } from "../../../app/api";
import type { Picked } from "../../../parts/tree/JsonTree";
import { useEdited } from "./context";
import { addCheck, type CheckDocument, setKeep, stepWith } from "./document";
import { handOver, keptAs, type Place, placesAfter, proposeName } from "./handover";
import { Typing } from "./InPlace";
import type { Editing } from "./useEditing";

interface Props {
  step: Step;
  picked: Picked;
  /** The key that asked: k keep, p put; empty for a click. */
  asked: string;
  close: () => void;
}

/** What can be made of one node of the answer: a check, a kept value, a hand-over. */
export function NodeActs({ step, picked, asked, close }: Props) {
  const { id, editing } = useEdited();
  const [mode, setMode] = useState<"" | "keep" | "put">(asked === "k" ? "keep" : asked === "p" ? "put" : "");
  const [problem, setProblem] = useState("");
  const document = stepWith(editing.document, step.key);
  const branch = picked.kind === "object" || picked.kind === "list";
  const expect = async (sentence: string) => {
    const wrong = await expectNode(id, editing, step.key, picked, sentence);
    if (wrong) setProblem(wrong);
    else close();
  };
  const value = asItIs(picked);
  const keys = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === "Escape") close();
  };
  if (!document) return null;
  const kept = keptAs(document, picked.path);
  const name = kept ?? proposeName(picked.path, String(document.send), taken(editing.document));
  if (mode === "keep") {
    return (
      <div className="acts-bar" role="toolbar" aria-label={`Keep ${picked.path}`}>
        keep as{" "}
        <Typing
          text={name}
          label="Keep as"
          always
          save={(typed) => editing.apply(setKeep(step.key, typed.trim(), picked.path))}
          close={close}
        />
      </div>
    );
  }
  if (mode === "put") {
    const put = async (to: Place) => {
      const wrong = await editing.apply(handOver(document, picked.path, name, to));
      if (wrong) setProblem(wrong);
      else close();
    };
    const places = placesAfter(editing.document, step.key, literal(picked));
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: Escape closes; each place is a button
      <div className="acts-bar column" onKeyDown={keys}>
        <span>
          Put <span className="mono">{name}</span> into
        </span>
        {places.map((place, index) => (
          <button
            type="button"
            key={`${place.key} ${place.place}`}
            // biome-ignore lint/a11y/noAutofocus: the list was just asked for
            autoFocus={index === 0}
            onClick={() => void put(place)}
          >
            <strong>{place.step}</strong> {place.place}
          </button>
        ))}
        {!places.length && (
          <span>There is no request after this step yet. Add one, then put the value into it.</span>
        )}
        {problem && <span role="alert">{problem}</span>}
      </div>
    );
  }
  return (
    <div className="acts-bar" role="toolbar" aria-label={`What to make of ${picked.path}`} onKeyDown={keys}>
      <button type="button" onClick={() => void expect(value)}>
        Expect {branch ? value.replace("is ", "") : short(picked.text)} <kbd>E</kbd>
      </button>
      {picked.kind !== "null" && (
        <button type="button" onClick={() => void expect(anyOfKind(picked))}>
          Expect any {picked.kind} <kbd>A</kbd>
        </button>
      )}
      <button type="button" onClick={() => setMode("keep")}>
        Keep as… <kbd>K</kbd>
      </button>
      <button type="button" onClick={() => setMode("put")}>
        Put into… <kbd>P</kbd>
      </button>
      {problem && <span role="alert">{problem}</span>}
    </div>
  );
}

/** The rest of a sentence that expects a node as it is, and one that expects anything of its kind. */
export function asItIs(picked: Picked): string {
  if (picked.kind === "list") return `counts ${picked.count}`;
  return picked.kind === "object" ? "is present" : `is ${picked.text}`;
}

export const anyOfKind = (picked: Picked): string => `is of kind ${picked.kind}`;

/** Add a check on a node; a sentence says why it could not be. */
export async function expectNode(
  id: string,
  editing: Editing,
  step: string,
  picked: Picked,
  sentence: string,
) {
  const said = await api.understood(id, step, `${picked.path} ${sentence}`);
  return said.check ? editing.apply(addCheck(step, said.check as CheckDocument)) : said.problem;
}

const short = (text: string) =>
  (text.length > 24 ? `${text.slice(0, 23)}…` : text).replace(/^"(.*)"$/, "“$1”");

/** The value as it would stand in a later step. */
function literal(picked: Picked): string {
  if (picked.kind === "text") return JSON.parse(picked.text) as string;
  return picked.kind === "number" || picked.kind === "boolean" ? picked.text : "";
}

function taken(document: { [part: string]: unknown }): string[] {
  return ["steps", "afterwards"].flatMap((part) =>
    ((document[part] as { keep?: object }[] | undefined) ?? []).flatMap((step) =>
      Object.keys(step.keep ?? {}),
    ),
  );
}
