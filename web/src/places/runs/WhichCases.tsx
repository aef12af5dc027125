import { useState } from "react";
import type { RunCase } from "../../api";
import { count, whole } from "../../base/format";
import { VerdictChoice } from "../../parts/VerdictChoice";
import { byCase, CELLS, ORDERS, type Shown, verdictsAmong } from "./shownCases";

interface Props {
  cases: readonly RunCase[];
  /** How many are shown now. */
  number: number;
  show: (shown: Shown) => void;
  shown: Shown;
  /** Run those that are shown once more. */
  again: (() => void) | undefined;
}

/** Which cases of a run are shown: of these verdicts, with these words, in this order. */
export function WhichCases({ cases, number, shown, show, again }: Props) {
  // The field is drawn at once, the list when there is time.
  const [typed, setTyped] = useState(shown.typed);
  return (
    <div className="rows-ways">
      <VerdictChoice
        label="Which cases are shown"
        all={count(cases.length, "case")}
        counts={verdictsAmong(cases)}
        chosen={shown.verdicts}
        choose={(verdicts) => show({ ...shown, verdicts })}
      />
      <input
        type="search"
        className="which-words"
        aria-label="Words of the cases that are shown"
        placeholder="with these words"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          show({ ...shown, typed: event.target.value });
        }}
      />
      <select
        className="in-sentence"
        aria-label="In which order"
        value={shown.order}
        onChange={(event) => show({ ...shown, order: event.target.value as Shown["order"] })}
      >
        {ORDERS.map((order) => (
          <option key={order}>{order}</option>
        ))}
      </select>
      <label className="muted">
        cells show{" "}
        <select
          className="in-sentence"
          value={shown.cells}
          onChange={(event) => show({ ...shown, cells: event.target.value as Shown["cells"] })}
        >
          {CELLS.map((cells) => (
            <option key={cells}>{cells}</option>
          ))}
        </select>
      </label>
      <button type="button" className="plain-link" onClick={() => show({ ...shown, matrix: !shown.matrix })}>
        {shown.matrix ? "as a list" : "as a matrix"}
      </button>
      {byCase(cases).some((entries) => entries.length > 1) && (
        <label className="muted">
          <input
            type="checkbox"
            checked={shown.differing}
            onChange={(event) => show({ ...shown, differing: event.target.checked })}
          />{" "}
          only what differs
        </label>
      )}
      <span className="muted" role="status">
        {number < cases.length && `${whole(number)} of ${count(cases.length, "case")}`}
      </span>
      {again && number > 0 && number < cases.length && (
        <button data-needs="run" type="button" className="plain-link" onClick={again}>
          Run these again
        </button>
      )}
    </div>
  );
}
