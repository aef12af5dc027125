import { type KeyboardEvent, useState } from "react";
import { type StepDocument, stepWith } from "../../../case/document";
import {
  handOver,
  keptAs,
  type Place,
  placeInNewStep,
  placesAfter,
  placesIn,
  takenNames,
} from "../../../case/handover";
import { proposeName } from "../../../case/naming";
import type { Picked } from "../../../parts/tree/picked";
import { type Dragged, useEdited } from "../state/context";

interface Props {
  from: StepDocument;
  path: string;
  name: string;
  picked: Picked;
  close: () => void;
}

/** The places of later steps that a node can be put into, those where its value stands written out first; the last is a step yet to be made. */
export function PutInto({ from, path, name, picked, close }: Props) {
  const { editing, openLater } = useEdited();
  const [problem, setProblem] = useState("");
  const [begun] = useState(() => placeInNewStep(from, name));
  const put = async (to: Place) => {
    const openIt = openLater();
    const wrong = await editing.apply(handOver(from, path, name, to));
    if (wrong) return setProblem(wrong);
    close();
    if (to === begun) openIt(to.key);
  };
  const places = [...placesAfter(editing.document, from.key as string, literal(picked)), begun];
  const keys = (event: KeyboardEvent<HTMLElement>) => {
    event.stopPropagation();
    if (event.key === "Escape") close();
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const buttons = [...event.currentTarget.querySelectorAll("button")];
    const at = buttons.indexOf(document.activeElement as HTMLButtonElement);
    if (!by) return;
    event.preventDefault();
    buttons[(at + by + buttons.length) % buttons.length]?.focus();
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: Escape closes, arrows move; each place is a button
    <div className="acts-bar column" onKeyDown={keys}>
      <span>
        Put <span className="mono">{name}</span> into
      </span>
      {places.map((place, index) => (
        <button
          data-needs="edit"
          type="button"
          key={`${place.key} ${place.place}`}
          // biome-ignore lint/a11y/noAutofocus: the list was just asked for
          autoFocus={index === 0}
          onClick={() => void put(place)}
        >
          <strong>{place.step}</strong> {place.place}
        </button>
      ))}
      {problem && <span role="alert">{problem}</span>}
    </div>
  );
}

/** While a node is dragged: the places of one later step, to let it go on. */
export function DropPlaces({ dragged, step }: { dragged: Dragged; step: string }) {
  const { editing } = useEdited();
  const [over, setOver] = useState("");
  const from = stepWith(editing.document, dragged.from);
  const to = stepWith(editing.document, step);
  if (!from || !to?.request) return null;
  const { picked } = dragged;
  const name =
    keptAs(from, picked.path) ?? proposeName(picked.path, String(from.send), takenNames(editing.document));
  return (
    <ul className="drop-places" aria-label="Places to let the value go on">
      {placesIn(to, literal(picked)).map((place) => (
        <li
          key={place.place}
          className={over === place.place ? "over" : undefined}
          onDragOver={(event) => {
            event.preventDefault();
            setOver(place.place);
          }}
          onDragLeave={() => setOver("")}
          onDrop={(event) => {
            event.preventDefault();
            event.stopPropagation();
            void editing.apply(handOver(from, picked.path, name, place));
          }}
        >
          {place.place}
        </li>
      ))}
    </ul>
  );
}

/** The value as it would stand in a later step. */
function literal(picked: Picked): string {
  if (picked.kind === "text") return JSON.parse(picked.text) as string;
  return picked.kind === "number" || picked.kind === "boolean" ? picked.text : "";
}
