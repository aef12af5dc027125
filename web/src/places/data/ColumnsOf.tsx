import type { ColumnProfile, SourceDocument, SourceProfile } from "../../api";
import { useMay } from "../../api/may";
import { count, whole } from "../../base/format";
import { KINDS, mayBeEmpty, withEmpty, withKind } from "./source";

const FEW_BAD = 8;

interface Props {
  document: SourceDocument;
  profile: SourceProfile;
  /** Undefined: the columns' kinds are what they are made as. */
  change: ((document: SourceDocument) => Promise<string | undefined>) | undefined;
  underWay: string | undefined;
}

/** What the columns hold: their kinds, and what does not fit them, empty cells, how many differ. */
export function ColumnsOf({ document, profile, change, underWay }: Props) {
  const may = useMay("edit");
  return (
    <section aria-label="Columns" className="columns-of">
      <h2>
        Columns
        {(underWay || !profile.whole) && (
          <span className="muted small"> of the first {count(profile.rows, "row")}</span>
        )}
      </h2>
      <table>
        <thead>
          <tr>
            <th scope="col">name</th>
            <th scope="col">kind</th>
            <th scope="col">filled</th>
            <th scope="col">different</th>
            <th scope="col">from, to</th>
            <th scope="col">most often</th>
          </tr>
        </thead>
        <tbody>
          {profile.columns.map((column) => (
            <tr key={column.name}>
              <th scope="row" className="reference mono">
                {column.name}
              </th>
              <td>
                <Kind column={column} document={document} change={change} />
              </td>
              <td>
                {column.empties
                  ? `${whole(column.filled)}, ${whole(column.empties)} empty`
                  : whole(column.filled)}
                {column.empties > 0 && change && column.kind && column.kind !== "text" && (
                  <label className="small">
                    <input
                      disabled={!may}
                      type="checkbox"
                      checked={mayBeEmpty(document, column.name)}
                      onChange={(event) =>
                        void change(withEmpty(document, column.name, event.target.checked))
                      }
                    />{" "}
                    may be
                  </label>
                )}
              </td>
              <td>{column.more ? `over ${whole(column.distinct - 1)}` : whole(column.distinct)}</td>
              <td className="mono cut" title={`${column.least} to ${column.most}`}>
                {column.least === column.most ? column.least : `${column.least} … ${column.most}`}
              </td>
              <td className="muted cut">{often(column)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {profile.badCount > 0 && (
        <>
          <h2>{count(profile.badCount, "row is", "rows are")} blocked before anything is sent</h2>
          <ul className="bad-rows">
            {profile.bad.slice(0, FEW_BAD).map((bad) => (
              <li key={bad.row}>
                Row {whole(bad.row)}: {bad.sentence}
              </li>
            ))}
          </ul>
          {profile.badCount > FEW_BAD && (
            <p className="muted small">and {whole(profile.badCount - FEW_BAD)} more</p>
          )}
        </>
      )}
      {profile.problem && (
        <p className="trouble">
          After row {whole(profile.rows)}: {profile.problem}
        </p>
      )}
    </section>
  );
}

function Kind({ column, document, change }: { column: ColumnProfile } & Pick<Props, "document" | "change">) {
  const may = useMay("edit");
  if (!change) return column.fits || "nothing";
  const offered = column.fits && column.fits !== "text" && column.fits !== column.kind && !column.kind;
  return (
    <>
      <select
        disabled={!may}
        className="in-sentence"
        aria-label={`The kind of ${column.name}`}
        value={column.kind}
        onChange={(event) => void change(withKind(document, column.name, event.target.value))}
      >
        <option value="">as it stands</option>
        {KINDS.map((kind) => (
          <option key={kind}>{kind}</option>
        ))}
      </select>{" "}
      {offered && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link small"
          onClick={() => void change(withKind(comma(document, column), column.name, column.fits))}
        >
          all fit {column.fits}
        </button>
      )}
      {column.misfitCount > 0 && (
        <span
          className="trouble small"
          title={column.misfits.map((cell) => `row ${cell.row}: ${cell.text}`).join("\n")}
        >
          {count(column.misfitCount, "does not fit", "do not fit")}, first {column.misfits[0]?.text} in row{" "}
          {column.misfits[0]?.row}
        </span>
      )}
    </>
  );
}

/** Numbers with decimal commas are numbers only where that is said. */
function comma(document: SourceDocument, column: ColumnProfile): SourceDocument {
  return column.withComma ? { ...document, decimal: "," } : document;
}

function often(column: ColumnProfile): string {
  const several = column.common.filter((value) => value.times > 1).slice(0, 3);
  if (!several.length) return column.distinct > 1 ? "each once" : "";
  return several.map((value) => `${value.text} (${whole(value.times)})`).join(", ");
}
