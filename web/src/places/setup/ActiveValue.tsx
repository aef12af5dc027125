import { Link } from "react-router";
import type { ValueChange, ValueRow } from "../../api";
import { count } from "../../base/format";
import { useAsk } from "../../parts/Confirm";
import { isUnused } from "./values";

interface Props {
  row: ValueRow;
  apply: (changes: ValueChange[]) => Promise<void>;
}

const MOST_NAMED = 3;

/** What the value of the active row is, in a sentence, with what can be done with the whole of it. */
export function ActiveValue({ row, apply }: Props) {
  const about = { suite: row.suite, name: row.name };
  const named = row.cases.slice(0, MOST_NAMED);
  const more = row.uses - named.length;
  const ask = useAsk();
  const takeAway = async () => {
    const used = row.uses
      ? `${count(row.uses, "case")}, which ${row.uses === 1 ? "is" : "are"} blocked without it`
      : row.usedByValues
        ? "the project itself: in values, checks, options, sources or databases"
        : "";
    const yes =
      !used ||
      (await ask({
        title: `Take ${row.name} away?`,
        text: `It is used by ${used}. Undo brings it back${row.secret ? ", with what it reads as" : ""}.`,
        yes: "Take it away",
        no: "Keep it",
      }));
    if (yes) await apply([{ kind: "remove", ...about }]);
  };
  return (
    <div className="active-value">
      <p>
        <span className="reference mono">{row.name}</span>{" "}
        {row.nowhere
          ? "has no value anywhere, and is looked for in "
          : `${row.secret ? "is a secret" : "is a value"} of ${row.suiteName ? `the suite ${row.suiteName}` : "the project"}, `}
        {!row.nowhere &&
          (isUnused(row)
            ? "used nowhere"
            : row.uses
              ? "used in "
              : "used by the project itself: in values, checks, options, sources or databases")}
        {named.map((of, index) => (
          <span key={of.id}>
            {index > 0 && ", "}
            <Link to={`/cases/${of.id}`}>{of.name}</Link>
          </span>
        ))}
        {more > 0 && ` and ${count(more, "other")}`}.
      </p>
      {!row.nowhere && (
        <p className="value-acts">
          {!row.secret && (
            <button
              data-needs="edit"
              type="button"
              className="plain-link"
              title="Stored encrypted, masked wherever it appears, and shown nowhere again"
              onClick={() => void apply([{ kind: "hide", ...about }])}
            >
              Make it a secret
            </button>
          )}
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void takeAway()}>
            Take it away
          </button>
        </p>
      )}
    </div>
  );
}
