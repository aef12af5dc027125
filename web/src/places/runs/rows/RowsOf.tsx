import { useState } from "react";
import type { CaseRows, RunCase, RunReport, Verdict } from "../../../api";
import { count } from "../../../base/format";
import { VerdictChoice } from "../../../parts/VerdictChoice";
import type { ChosenCell } from "./cells";
import { InCommon } from "./InCommon";
import { Matrix } from "./Matrix";
import { FACTS, type Facts, type Order, total, verdictsOf } from "./rows";

const FEW = 3;

interface Props {
  run: RunReport;
  entry: RunCase;
  rows: CaseRows;
  chosen: ChosenCell | undefined;
  choose: (cell: ChosenCell) => void;
}

/** The rows of a case: which are shown, what their cells show, in which order; and the matrix itself. */
export function RowsOf({ run, entry, rows, chosen, choose }: Props) {
  const [verdicts, setVerdicts] = useState<ReadonlySet<Verdict>>(new Set());
  const [facts, setFacts] = useState<Facts>("time");
  const [order, setOrder] = useState<Order>({ by: "number", down: false });
  const [plain, setPlain] = useState(false);
  const [all, setAll] = useState(false);
  const shown = total(rows, verdicts);
  return (
    <section className="rows-of" aria-label={`The rows of ${entry.name}`}>
      <div className="rows-ways">
        <VerdictChoice
          label="Which rows are shown"
          all={count(total(rows, new Set()), "row")}
          counts={verdictsOf(rows)}
          chosen={verdicts}
          choose={setVerdicts}
        />
        <label className="muted">
          cells show{" "}
          <select value={facts} onChange={(event) => setFacts(event.target.value as Facts)}>
            {FACTS.map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
            {rows.kept.map((name) => (
              <option key={name} value={`kept ${name}`}>
                {name}, as it was kept
              </option>
            ))}
          </select>
        </label>
        <button type="button" className="plain-link" onClick={() => setPlain(!plain)}>
          {plain ? "as a table" : "as sentences"}
        </button>
        {rows.columns.length > FEW && !plain && (
          <button type="button" className="plain-link" onClick={() => setAll(!all)}>
            {all ? `the first ${FEW} columns` : `all ${rows.columns.length} columns`}
          </button>
        )}
      </div>
      <InCommon run={run.id} entry={entry} />
      {rows.pick && <p className="muted small">Of the rows only {rows.pick}.</p>}
      <Matrix
        key={`${[...verdicts].join()} ${order.by} ${order.down} ${facts}`}
        run={run.id}
        entry={entry}
        values={all ? rows.columns : rows.columns.slice(0, FEW)}
        count={shown}
        verdicts={verdicts}
        facts={facts}
        order={order}
        sort={setOrder}
        plain={plain}
        chosen={chosen}
        choose={choose}
      />
    </section>
  );
}
