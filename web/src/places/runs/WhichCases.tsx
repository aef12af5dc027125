import { useState } from "react";
import type { RunCase, Verdict } from "../../api";
import { count, whole } from "../../base/format";
import { VerdictMark } from "../../parts/VerdictMark";
import { ORDERS, type Shown, verdictsAmong } from "./shownCases";

interface Props {
  cases: readonly RunCase[];
  /** How many are shown now. */
  number: number;
  show: (shown: Shown) => void;
  shown: Shown;
}

/** Which cases of a run are shown: of these verdicts, with these words, in this order. */
export function WhichCases({ cases, number, shown, show }: Props) {
  // The field is drawn at once, the list when there is time.
  const [typed, setTyped] = useState(shown.typed);
  const turn = (verdict: Verdict) => {
    const verdicts = new Set(shown.verdicts);
    if (!verdicts.delete(verdict)) verdicts.add(verdict);
    show({ ...shown, verdicts });
  };
  return (
    <div className="rows-ways">
      <fieldset className="views" aria-label="Which cases are shown">
        <button
          type="button"
          className="plain-button"
          aria-pressed={!shown.verdicts.size}
          onClick={() => show({ ...shown, verdicts: new Set() })}
        >
          all {count(cases.length, "case")}
        </button>
        {verdictsAmong(cases).map(([verdict, many]) => (
          <button
            key={verdict}
            type="button"
            className="plain-button"
            aria-pressed={shown.verdicts.has(verdict)}
            onClick={() => turn(verdict)}
          >
            <VerdictMark verdict={verdict} size={12} /> {whole(many)} {verdict}
          </button>
        ))}
      </fieldset>
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
      <span className="muted" role="status">
        {number < cases.length && `${whole(number)} of ${count(cases.length, "case")}`}
      </span>
    </div>
  );
}
