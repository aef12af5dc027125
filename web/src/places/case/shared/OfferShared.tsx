import type { Case } from "../../../api";
import { addBefore } from "../../../case/document";
import { takenNames } from "../../../case/handover";
import { firstThatNeeds, usingThem } from "../../../case/using";
import { useEdited } from "../state/context";
import { useSharedSteps } from "../state/useShared";

const MOST = 6;

/** The shared steps of the project, each put into the case by one click: before the step that looks for what they give, else at the end. */
export function OfferShared({ of }: { of: Case }) {
  const { editing, openLater, references } = useEdited();
  const found = useSharedSteps().filter((shared) => shared.called !== of.shared?.called);
  if (!found.length) return null;
  const known = references(of.steps.length + 1).map((reference) => reference.name);
  return (
    <p className="offer-shared muted" data-needs="edit">
      or shared steps:{" "}
      {found.slice(0, MOST).map((shared) => (
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          key={shared.id}
          title={shared.about || `Used in ${shared.uses} cases`}
          onClick={() => {
            const openIt = openLater();
            const step = usingThem(shared, takenNames(editing.document), known);
            void editing.apply(addBefore(step, firstThatNeeds(shared, of))).then((problem) => {
              if (!problem) openIt(step.key as string);
            });
          }}
        >
          {shared.name}
        </button>
      ))}
    </p>
  );
}
