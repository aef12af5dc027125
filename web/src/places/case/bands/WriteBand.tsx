import { Link } from "react-router";
import type { Step } from "../../../api";
import { isFields } from "../../../base/exact";
import { setField, stepWith } from "../../../case/document";
import { columnLines, readColumns } from "../../../case/lookup";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited, useInsertable } from "../state/context";

const HINT =
  "name = what it is, a line each: a place of the answer ($.fee.total), status, time, verdict, [=a value], 'fixed text'. Nothing: no row is written. Ctrl Enter keeps.";

/** The row of an output table that the step writes. */
export function WriteBand({ step }: { step: Step }) {
  const { editing } = useEdited();
  const insertable = useInsertable(step.number + 1, step.key);
  const { write } = step;
  if (!write) return null;
  const said = stepWith(editing.document, step.key)?.write;
  const document = isFields(said) ? said : {};
  const columns = (text: string) => {
    const found = readColumns(text);
    if (typeof found === "string") return Promise.resolve(found);
    const some = Object.keys(found).length > 0;
    return editing.apply(
      setField(step.key, "write", some ? { table: write.table, columns: found } : undefined),
    );
  };
  const table = (text: string) =>
    editing.apply(setField(step.key, "write", text.trim() ? { ...document, table: text.trim() } : undefined));
  return (
    <div className="band">
      <h3>Write</h3>
      <div>
        <p className="send-line">
          A row into{" "}
          <InPlace
            text={write.table}
            label="Which output table"
            hint="Nothing: no row is written."
            save={table}
          >
            <span className="mono">{write.table}</span>
          </InPlace>
          , with{" "}
          <Link to="/data" className="muted small">
            (seen in Data)
          </Link>
        </p>
        <InPlace
          text={columnLines(document.columns)}
          label="Its columns, a line each"
          hint={HINT}
          lines
          insertable={insertable}
          save={columns}
        >
          <span className="pairs mono">
            {write.columns.map((column) => (
              <span key={column.name}>
                <span className="muted">{column.name} =</span> <Pieces pieces={column.of} />
              </span>
            ))}
          </span>
        </InPlace>
      </div>
    </div>
  );
}
