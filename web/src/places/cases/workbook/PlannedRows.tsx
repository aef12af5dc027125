import type { SheetTable, TakenRows } from "../../../api";
import { count } from "../../../base/format";
import { VerdictMark } from "../../../parts/VerdictMark";
import { placeOf, type Reading } from "./columns";

interface Props {
  sheet: SheetTable;
  reading: Reading;
  change: (reading: Reading) => void;
  planned: TakenRows | undefined;
  take: () => void;
}

/** What would come of the rows, case by case; and those that cannot be read, to be mended where they stand. */
export function PlannedRows({ sheet, reading, change, planned, take }: Props) {
  if (!reading.columns.some(Boolean))
    return <p className="muted">Say above what at least one column is, such as what is checked.</p>;
  if (!planned) return <p className="muted">Reading the rows…</p>;
  const { cases, faults } = planned;
  const good = planned.checks;
  return (
    <>
      {faults.length > 0 && (
        <section aria-label="Rows that cannot be read">
          <h2>
            {count(faults.length, "place")} cannot be read; {count(good, "check")} can
          </h2>
          <ul className="lines">
            {faults.map((fault) => {
              const at = placeOf(reading.columns, fault.column);
              const place = `${fault.row} ${at}`;
              return (
                <li key={`${place} ${fault.sentence}`} className="fault">
                  <VerdictMark verdict="blocked" />
                  <span>row {fault.row + 1}</span>
                  <input
                    data-needs="edit"
                    className="mono"
                    aria-label={`Row ${fault.row + 1}, ${fault.column}`}
                    defaultValue={reading.mended[place] ?? sheet.table[fault.row]?.[at] ?? ""}
                    onBlur={(event) =>
                      change({ ...reading, mended: { ...reading.mended, [place]: event.target.value } })
                    }
                    onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
                  />
                  <span>{fault.sentence}</span>
                </li>
              );
            })}
          </ul>
        </section>
      )}
      <section aria-label="What would change">
        <h2>{cases.length ? said(cases) : "Nothing would change"}</h2>
        <ul className="lines">
          {cases.map((item) => (
            <li key={item.id ?? item.name}>
              {item.id ? (
                <details open={cases.length < 6}>
                  <summary>
                    “{item.name}”: {count(item.changes.length, "change")}
                  </summary>
                  <ul>
                    {item.changes.map((sentence) => (
                      <li key={sentence}>{sentence}</li>
                    ))}
                  </ul>
                </details>
              ) : (
                <>
                  “{item.name}” is new, with {count(item.steps, "step")}
                </>
              )}
            </li>
          ))}
        </ul>
        <p>
          <button data-needs="edit" type="button" className="make" disabled={!cases.length} onClick={take}>
            {faults.length ? "Take over what can be read" : "Take it over"}
          </button>
        </p>
      </section>
    </>
  );
}

function said(cases: TakenRows["cases"]): string {
  const added = cases.filter((item) => !item.id).length;
  const changed = cases.length - added;
  if (!added) return `${count(changed, "case")} would change`;
  const made = `${count(added, "case")} would be made`;
  return changed ? `${made}, and ${count(changed, "case")} would change` : made;
}
