import { type KeyboardEvent, useState } from "react";
import type { Step } from "../../../app/api";
import { readExact } from "../../../app/exact";
import type { Picked } from "../../../parts/tree/JsonTree";
import { useEdited } from "./context";
import { addCheck, type CheckDocument, setKeep, stepWith } from "./document";
import { handOver, keptAs, type Place, placesAfter, proposeName } from "./handover";
import { Typing } from "./InPlace";

interface Props {
  step: Step;
  picked: Picked;
  /** The key that asked: k keep, p put; empty for a click. */
  asked: string;
  close: () => void;
}

/** What can be made of one node of the answer: a check, a kept value, a hand-over. */
export function NodeActs({ step, picked, asked, close }: Props) {
  const { editing } = useEdited();
  const [mode, setMode] = useState<"" | "keep" | "put">(asked === "k" ? "keep" : asked === "p" ? "put" : "");
  const [problem, setProblem] = useState("");
  const document = stepWith(editing.document, step.key);
  const branch = picked.kind === "object" || picked.kind === "list";
  const expect = async (check: CheckDocument | undefined) => {
    if (!check) return setProblem("This value is masked, so it cannot be expected as it is.");
    const wrong = await editing.apply(addCheck(step.key, check));
    if (wrong) setProblem(wrong);
    else close();
  };
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
      <button type="button" onClick={() => void expect(asItIs(picked))}>
        Expect{" "}
        {branch ? (picked.kind === "list" ? `${picked.count} items` : "it is there") : short(picked.text)}{" "}
        <kbd>E</kbd>
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

/** A check that expects a node as it is; none for a value that is masked. */
export function asItIs(picked: Picked): CheckDocument | undefined {
  if (picked.kind === "list") return { of: picked.path, count: picked.count };
  if (picked.kind === "object") return { of: picked.path, present: true };
  return picked.text.includes("●●●") ? undefined : { of: picked.path, is: readExact(picked.text) };
}

export const anyOfKind = (picked: Picked): CheckDocument => ({ of: picked.path, kind: picked.kind });

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
