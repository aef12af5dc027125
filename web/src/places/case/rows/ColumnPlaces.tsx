import type { Step } from "../../../api";
import { type Change, checksOf, inChecks, stepWith } from "../../../case/document";
import { placesFor } from "../../../case/handover";
import { referenceTo } from "../../../case/rowColumns";
import { useEdited } from "../state/context";

const MOST_PLACES = 14;

interface Props {
  column: string;
  /** What the first rows have there. */
  values: string[];
  step: Step;
  put: (change: Change, done: string) => void;
}

/** Where a column can go in the step in focus: its address, parameters, headers and body, those that hold a value of the first rows first;
 * and what its checks expect. */
export function ColumnPlaces({ column, values, step, put }: Props) {
  const { editing } = useEdited();
  const document = stepWith(editing.document, step.key);
  const places = step.send && document ? placesFor(document, values) : [];
  const checks = checksOf(document).map((check, index) => ({ check, index, of: check.of }));
  return (
    <div className="column-places">
      <span>
        Put <span className="reference mono">{column}</span> into {step.name}:
      </span>
      {places.slice(0, MOST_PLACES).map((place) => (
        <button
          data-needs="edit"
          key={place.place}
          type="button"
          className="plain-button small"
          onClick={() => put(place.change(referenceTo(column)), `${column} stands ${place.place}.`)}
        >
          {place.place}
        </button>
      ))}
      {checks
        .filter(({ check, of }) => typeof of === "string" && "is" in check)
        .map(({ index, of }) => (
          <button
            data-needs="edit"
            key={index}
            type="button"
            className="plain-button small"
            onClick={() =>
              put(
                inChecks(step.key, (before) =>
                  before.map((old, at) => (at === index ? { ...old, is: referenceTo(column) } : old)),
                ),
                `${String(of)} is expected to be ${column}.`,
              )
            }
          >
            what {String(of)} is expected to be
          </button>
        ))}
    </div>
  );
}
